/** How large elements are, told before they are painted. */

type Told = (width: number, height: number) => void
const told = new Map<Element, Told>()
const watching = new ResizeObserver((entries) => {
  // All are asked before anything is drawn anew: an answer in between would lay the whole page out again.
  const sizes = entries.map(({ target }) => [target, target.clientWidth, target.clientHeight] as const)
  for (const [element, width, height] of sizes) told.get(element)?.(width, height)
})

/** Tells an element's size within its border, and again whenever it has another one. A page of hundreds is laid out once
 * for all of them, where asking each as it comes lays it out once for each. */
export const sized = (tell: Told) => (element: Element) => {
  told.set(element, tell)
  watching.observe(element)
  return () => {
    watching.unobserve(element)
    told.delete(element)
  }
}
