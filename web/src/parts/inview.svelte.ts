/** Which rows of a scrolled list are in sight: of many only those are drawn, and some on either side. */
import { untrack } from 'svelte'
import { createVirtualizer, type SvelteVirtualizer } from '@tanstack/svelte-virtual'

const ALL = 60 // so many are drawn whatever is in sight
const SPARE = 8

interface Of {
  count: () => number
  /** Of a row, in pixels; they are all alike. */
  height: number
  /** The element that scrolls. */
  bed: () => HTMLElement | null
  /** Pixels at its top that stay when it scrolls. */
  head?: number
}

export class InView {
  private seen = $state.raw<[number, number]>([0, SPARE * 3])
  private virtual: SvelteVirtualizer<HTMLElement, HTMLElement> | undefined
  readonly many = $derived.by(() => this.of.count() > ALL)
  readonly first = $derived.by(() => (this.many ? Math.min(this.seen[0], this.of.count()) : 0))
  readonly last = $derived.by(() => (this.many ? Math.min(this.seen[1], this.of.count()) : this.of.count()))
  readonly rows = $derived(Array.from({ length: this.last - this.first }, (_, i) => this.first + i))
  /** Pixels of what is not drawn before and after. */
  readonly before = $derived.by(() => this.first * this.of.height)
  readonly after = $derived.by(() => (this.of.count() - this.last) * this.of.height)

  /** To be made while a component is set up. */
  constructor(private of: Of) {
    $effect(() => {
      const bed = of.bed()
      if (!this.many || !bed) return
      const store = createVirtualizer<HTMLElement, HTMLElement>({
        count: of.count(),
        getScrollElement: () => bed,
        estimateSize: () => of.height,
        initialOffset: () => bed.scrollTop, // where it stands when rows have come or gone
        scrollPaddingEnd: of.head ?? 0,
      })
      return store.subscribe((virtual) => {
        this.virtual = virtual
        const { range } = virtual
        if (!range) return
        // Rows come and go eight at a time, so that most frames of a scroll draw nothing anew.
        const first = Math.max(0, Math.floor(range.startIndex / SPARE) * SPARE - SPARE)
        const last = Math.ceil((range.endIndex + 1) / SPARE) * SPARE + SPARE
        const seen = untrack(() => this.seen)
        if (first !== seen[0] || last !== seen[1]) this.seen = [first, last]
      })
    })
  }

  /** Scroll as little as brings a row into sight. */
  show(row: number) {
    if (this.many) this.virtual?.scrollToIndex(row, { align: 'auto' })
  }
}
