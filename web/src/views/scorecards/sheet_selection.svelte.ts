/** Which sheets are chosen on the bench, one or several, and what is done with them together. */
import type { Placed } from '../../api/client'
import { standing } from '../../parts/page/layout'
import * as compose from './compose'
import type { Session } from './session.svelte'

/** Sheets are copied as text, so that they can be pasted on another scorecard, also in another window. */
const COPIED = 'ironmark-sheets'
const MOST_PASTED = 50
const typing = (event: Event) =>
  !!(event.target as HTMLElement).closest?.('input, textarea, select, [contenteditable]')

export class SheetSelection {
  /** The one on the bench: the last that was chosen. */
  selected = $state<string | null>(null)
  picked = $state<string[]>([])
  /** Whether several are being chosen: then going from sheet to sheet by Tab chooses nothing. */
  gathering = $state(false)

  /** session: the one that is open now. */
  constructor(private readonly session: () => Session) {}

  choose(id: string, also = false) {
    if (this.selected !== id) this.session().rehearse = {}
    if (!also) this.picked = [id]
    else if (!this.picked.includes(id)) this.picked = [...this.picked, id]
    else if (this.gathering) this.picked = this.picked.filter((other) => other !== id)
    this.gathering = also && this.picked.length > 0
    this.selected = this.picked.at(-1) ?? null
  }

  clear() {
    this.selected = null
    this.picked = []
  }

  /** A sheet with those that were chosen together with it. */
  together = (id: string) => (this.picked.includes(id) ? $state.snapshot(this.picked) : [id])

  remove(id: string, title: string) {
    compose.removeAll(this.session(), this.together(id), title)
    this.clear()
  }

  copy(event: ClipboardEvent) {
    if (typing(event) || !this.picked.length || getSelection()?.toString()) return
    const items = this.sections.flatMap(standing).filter((item) => this.picked.includes(item.id))
    event.clipboardData?.setData('text/plain', JSON.stringify({ [COPIED]: $state.snapshot(items) }))
    event.preventDefault()
  }

  paste(event: ClipboardEvent) {
    if (typing(event)) return
    let items: Placed[] = []
    try {
      const found = JSON.parse(event.clipboardData?.getData('text/plain') ?? '') as Record<string, Placed[]>
      items = Array.isArray(found[COPIED]) ? found[COPIED].slice(0, MOST_PASTED) : []
    } catch {
      return // it is other text
    }
    const sections = this.sections
    const to =
      sections.find((held) => standing(held).some((item) => item.id === this.selected)) ?? sections.at(-1)
    if (!to || !items.length) return
    event.preventDefault()
    this.picked = compose.paste(this.session(), to.id, items)
    this.selected = this.picked.at(-1) ?? null
  }

  private get sections() {
    return this.session().body?.sections ?? []
  }
}
