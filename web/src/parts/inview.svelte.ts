/** Which rows of a scrolled list are in sight: of many only those are drawn, and some on either side. */
import { untrack } from 'svelte'
import { createVirtualizer, createWindowVirtualizer, type SvelteVirtualizer } from '@tanstack/svelte-virtual'

const ALL = 60 // so many are drawn whatever is in sight
const SPARE = 8

interface Of {
  count: () => number
  /** Of a row, in pixels; they are all alike. */
  height: number | (() => number)
  /** The element that scrolls. */
  bed: () => HTMLElement | null
  /** The list, where it is the page that scrolls and not an element. */
  list?: () => HTMLElement | null
  /** So many are drawn whatever is in sight, and so many on either side of it. */
  all?: number
  spare?: number
  /** Pixels at its top that stay when it scrolls. */
  head?: number
}

export class InView {
  private readonly spare: number
  private seen = $state.raw<[number, number]>([0, 0])
  private virtual: SvelteVirtualizer<HTMLElement, HTMLElement> | undefined
  private readonly height = $derived.by(() =>
    typeof this.of.height === 'number' ? this.of.height : this.of.height(),
  )
  readonly many = $derived.by(() => this.of.count() > (this.of.all ?? ALL))
  readonly first = $derived.by(() => (this.many ? Math.min(this.seen[0], this.of.count()) : 0))
  readonly last = $derived.by(() => (this.many ? Math.min(this.seen[1], this.of.count()) : this.of.count()))
  readonly rows = $derived(Array.from({ length: this.last - this.first }, (_, i) => this.first + i))
  /** Pixels of what is not drawn before and after. */
  readonly before = $derived.by(() => this.first * this.height)
  readonly after = $derived.by(() => (this.of.count() - this.last) * this.height)

  /** To be made while a component is set up. */
  constructor(private of: Of) {
    this.spare = of.spare ?? SPARE
    this.seen = [0, this.spare * (of.list ? 1 : 3)]
    $effect(() => {
      const [bed, list, height] = [of.bed(), of.list?.(), this.height]
      if (!this.many || !(bed || list)) return
      const rows = { count: of.count(), estimateSize: () => height }
      if (list) {
        const scrollMargin = list.getBoundingClientRect().top + scrollY
        const store = createWindowVirtualizer<HTMLElement>({
          ...rows,
          scrollMargin,
          initialOffset: () => scrollY,
        })
        return store.subscribe(({ range }) => this.see(range))
      }
      const store = createVirtualizer<HTMLElement, HTMLElement>({
        ...rows,
        getScrollElement: () => bed,
        initialOffset: () => bed!.scrollTop, // where it stands when rows have come or gone
        scrollPaddingEnd: of.head ?? 0,
      })
      return store.subscribe((virtual) => {
        this.virtual = virtual
        this.see(virtual.range)
      })
    })
  }

  private see(range: { startIndex: number; endIndex: number } | null) {
    if (!range) return
    const { spare } = this
    // Row by row: several that come together are more than a frame has time for.
    const first = Math.max(0, range.startIndex - spare)
    const last = range.endIndex + 1 + spare
    const seen = untrack(() => this.seen)
    if (first !== seen[0] || last !== seen[1]) this.seen = [first, last]
  }

  /** Scroll as little as brings a row into sight. */
  show(row: number) {
    if (this.many) this.virtual?.scrollToIndex(row, { align: 'auto' })
  }
}
