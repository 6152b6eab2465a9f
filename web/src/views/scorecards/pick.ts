/** A part of a sentence that can be changed: what it is, how it reads, which choice holds, all of them, and what is done. */
import type { Snippet } from 'svelte'

export type Pick = Snippet<
  [
    label: string,
    text: string,
    chosen: string,
    choices: { key: string; name: string; note?: string }[],
    choose: (key: string) => void,
  ]
>
