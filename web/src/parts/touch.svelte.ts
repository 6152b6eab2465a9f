/** A narrow screen, which is pressed with a finger: rows are as high as one needs, and lists show their rows whole. */
import { MediaQuery } from 'svelte/reactivity'

export const touch = new MediaQuery('screen and (max-width: 760px)')
/** Pixels that a finger needs, and the line below a row. */
export const FINGER = 45
/** Rows of a list that are shown before it scrolls in itself. */
export const SHOWN = 12
