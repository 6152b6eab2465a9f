/**
 * What lies over the page without having it laid out anew: what a modal dialog does to the page below (inert, no pointer,
 * no scroll) has all of it styled again. Its backdrop lies over all of it and the focus is held, so none is needed.
 */
export const OVER = { modal: false, trapFocus: true, closeOnInteractOutside: true }
