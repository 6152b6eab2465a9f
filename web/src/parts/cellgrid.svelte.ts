/** A grid of cells: which are chosen, how keys move among them, and how they are copied and pasted. */
import { InView } from './inview.svelte'

export interface Place {
  row: number
  column: number
}
export interface Box {
  top: number
  bottom: number
  left: number
  right: number
}

interface Of {
  rows: () => number
  columns: () => number
  /** Of a row, in pixels. */
  height?: number
  /** What is copied of a cell. */
  text: (row: number, column: number) => string
  /** Lines of cells are pasted, with the left upper one where the selection begins. */
  paste: (lines: string[][]) => void
  clear: (box: Box) => void
  /** Begin to type in a cell, with a first letter or with what stands there. */
  begin?: (row: number, column: number, start?: string) => void
  /** Whether a cell is being typed in; leave: stop that and keep nothing. */
  editing?: () => boolean
  leave?: () => void
}

const STEPS: Record<string, [number, number]> = {
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  PageUp: [-12, 0],
  PageDown: [12, 0],
}

export class CellGrid {
  at = $state<Place>({ row: 0, column: 0 })
  anchor = $state<Place | null>(null)
  /** The element that scrolls and holds the cells. */
  bed = $state<HTMLElement | null>(null)
  readonly view: InView

  /** The cells between where a selection began and where it is now. */
  readonly box = $derived.by((): Box => {
    const from = this.anchor ?? this.at
    return {
      top: Math.min(from.row, this.at.row),
      bottom: Math.max(from.row, this.at.row),
      left: Math.min(from.column, this.at.column),
      right: Math.max(from.column, this.at.column),
    }
  })
  readonly many = $derived(this.box.top !== this.box.bottom || this.box.left !== this.box.right)

  /** To be made while a component is set up. */
  constructor(private of: Of) {
    this.view = new InView({ count: of.rows, height: of.height ?? 0, bed: () => this.bed, head: of.height })
  }

  within(row: number, column: number): boolean {
    const { top, bottom, left, right } = this.box
    return this.many && row >= top && row <= bottom && column >= left && column <= right
  }

  isAt = (row: number, column: number) => this.at.row === row && this.at.column === column

  /** The chosen cells, line by line. */
  places(): Place[][] {
    const { top, bottom, left, right } = this.box
    const to = (from: number, until: number) => Array.from({ length: until - from + 1 }, (_, i) => from + i)
    return to(top, bottom).map((row) => to(left, right).map((column) => ({ row, column })))
  }

  focus(row: number, column: number) {
    this.at = {
      row: Math.min(this.of.rows() - 1, Math.max(0, row)),
      column: Math.min(this.of.columns() - 1, Math.max(0, column)),
    }
    this.view.show(this.at.row)
    // At once where the cell is drawn, so that the next key comes to it.
    const find = () => this.bed?.querySelector<HTMLElement>(`[data-cell="${this.at.row}-${this.at.column}"]`)
    if (find()) find()?.focus()
    else requestAnimationFrame(() => find()?.focus())
  }

  /** A cell was pressed: with Shift, the selection goes on to there. */
  press(event: MouseEvent, row: number, column: number) {
    this.anchor = event.shiftKey ? (this.anchor ?? { ...this.at }) : null
    this.focus(row, column)
  }

  keys = (event: KeyboardEvent) => {
    const cell = (event.target as HTMLElement).closest<HTMLElement>('[data-cell]')
    if (!cell || this.of.editing?.()) return
    const step = STEPS[event.key]
    const { row, column } = this.at
    if (step) {
      event.preventDefault()
      this.anchor = event.shiftKey ? (this.anchor ?? { row, column }) : null
      this.focus(row + step[0], column + step[1])
    } else if (event.key === 'Delete' || event.key === 'Backspace') {
      event.preventDefault()
      this.of.clear(this.box)
    } else if (!this.of.begin) {
      return
    } else if (event.key === 'Enter' || event.key === 'F2') {
      event.preventDefault()
      this.anchor = null
      this.of.begin(row, column)
    } else if (event.key.length === 1 && !event.ctrlKey && !event.metaKey && !event.altKey) {
      event.preventDefault()
      this.anchor = null
      this.of.begin(row, column, event.key)
    }
  }

  /** Copying and pasting in a field is that field's own. */
  private elsewhere(event: Event): boolean {
    const field = (event.target as HTMLElement | null)?.closest?.('input, textarea, [role="dialog"]')
    return !!field && !field.matches('input[data-cell]')
  }

  copy = (event: ClipboardEvent) => {
    if (this.of.editing?.() || this.elsewhere(event)) return
    const lines = this.places().map((line) => line.map(({ row, column }) => this.of.text(row, column)))
    event.clipboardData?.setData('text/plain', lines.map((line) => line.join('\t')).join('\n'))
    event.preventDefault()
  }

  paste = (event: ClipboardEvent) => {
    const text = event.clipboardData?.getData('text/plain') ?? ''
    // A block goes into cells, also where one of them is just being typed in.
    const block = /[\t\n]/.test(text.trim())
    const typing = this.of.editing?.() ?? false
    if (!text.trim() || (this.elsewhere(event) && !(typing && block))) return
    if (typing) this.of.leave?.()
    event.preventDefault()
    this.of.paste(linesOf(text))
  }
}

/** Cells as a spreadsheet puts them on the clipboard. */
export function linesOf(text: string): string[][] {
  return text
    .replace(/\r/g, '')
    .replace(/\n+$/, '')
    .split('\n')
    .map((line) => line.split('\t').map((value) => value.trim()))
}
