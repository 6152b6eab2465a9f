/** Sheets laid out for paper: what stands side by side stays together, what grows runs on, nothing is scrolled. */
import { flushSync, tick } from 'svelte'
import type { Placed, Reading, Section } from '../api/client'
import { COLUMNS, GAP, ROW, settle, standing } from '../parts/page/layout'

export type Paper = 'a4' | 'a4-upright' | 'a3' | 'a3-upright' | 'letter' | 'wide'
const MM = 96 / 25.4
/** Millimetres across and along. */
const SIZES: Record<Paper, [number, number]> = {
  a4: [297, 210],
  'a4-upright': [210, 297],
  a3: [420, 297],
  'a3-upright': [297, 420],
  letter: [279.4, 215.9],
  wide: [338.67, 190.5],
}
export const MARGIN = { top: 15, side: 12, foot: 13 }
const COLUMN = 86 // pixels that a column of the grid is wide at least
const NARROW = 8 // columns of a page that is not wide enough for all

export interface Room {
  /** Pixels of the layout; ``zoom`` makes them those of the paper. */
  width: number
  height: number
  zoom: number
  size: string
  columns: number
}

export function roomOf(paper: Paper): Room {
  const [across, along] = SIZES[paper]
  const width = (across - 2 * MARGIN.side) * MM
  const columns = width < COLUMN * 10 ? NARROW : COLUMNS
  const zoom = Math.min(1, width / (COLUMN * columns))
  return {
    width: width / zoom,
    height: ((along - MARGIN.top - MARGIN.foot) * MM) / zoom,
    zoom,
    size: `${across}mm ${along}mm`,
    columns,
  }
}

export const tall = (rows: number) => rows * (ROW + GAP) - GAP

/** Sheets that stand side by side, and what is drawn after them over the whole width, on as many pages as it takes. */
export interface Band {
  items: Placed[]
  top: number
  rows: number
  long: Placed[]
}

/**
 * A section's sheets in bands that no sheet crosses. grown: how many rows a sheet has to have, where its own are too few
 * for what it lists; most: rows that a page has, past which a sheet runs on by itself, as those do whose readings come in
 * parts.
 */
export function bandsOf(
  items: Placed[],
  grown: Record<string, number>,
  most: number,
  parts: Record<string, number> = {},
): Band[] {
  const long = items.filter((item) => (grown[item.id] ?? 0) > most || item.id in parts)
  const rest = items
    .filter((item) => !long.includes(item))
    .map((item) => ({ ...item, h: Math.max(item.h, grown[item.id] ?? 0) }))
  const order = settle(rest as Placed[]).sort((a, b) => a.y - b.y || a.x - b.x)
  const bands: Band[] = []
  for (const item of order) {
    const last = bands.at(-1)
    if (last && item.y < last.top + last.rows) {
      last.items.push(item)
      last.rows = Math.max(last.rows, item.y + item.h - last.top)
    } else bands.push({ items: [item], top: item.y, rows: item.h, long: [] })
  }
  if (long.length && !bands.length) bands.push({ items: [], top: 0, rows: 0, long: [] })
  for (const item of long) {
    const before = bands.filter((band) => band.top <= item.y).at(-1) ?? bands[0]!
    before.long.push(item)
  }
  return bands
}

/** Sheets in as few columns as there are: none is narrower than it was, and those of a line fill it. */
export function narrowed(items: Placed[], columns: number): Placed[] {
  if (columns >= COLUMNS) return items
  const lines: Placed[][] = []
  let used = columns
  for (const item of [...items].sort((a, b) => a.y - b.y || a.x - b.x)) {
    const w = Math.min(columns, item.w)
    if (used + w > columns) lines.push([])
    if (used + w > columns) used = 0
    lines.at(-1)!.push({ ...item, x: used, w } as Placed)
    used += w
  }
  let y = 0
  return lines.flatMap((line) => {
    const wide = line.reduce((sum, item) => sum + item.w, 0)
    const h = Math.max(...line.map((item) => item.h))
    const ends = line.map((item) => Math.round(((item.x + item.w) * columns) / wide))
    const placed = line.map((item, at) => ({
      ...item,
      x: ends[at - 1] ?? 0,
      w: ends[at]! - (ends[at - 1] ?? 0),
      y,
      h,
    }))
    y += h
    return placed as Placed[]
  })
}

/** What a section takes: pixels of its head, its bands, and of each list that runs on its lines. */
export interface Measured {
  section: Section
  head: number
  bands: Band[]
  lists: Record<string, Lines>
}
/** ends: after so many readings a line ends, and how high it is; frame: pixels of all else. */
export interface Lines {
  ends: number[]
  heights: number[]
  frame: number
}

export type Part =
  | { kind: 'lead' }
  | { kind: 'head'; section: Section; again: boolean }
  | { kind: 'band'; section: Section; band: Band; zoom: number }
  | { kind: 'run'; section: Section; item: Placed; from: number; to: number; height: number }
  | { kind: 'flow'; section: Section; item: Placed }
  | { kind: 'notes' }
/** A page of paper: what stands on it from the top down, and how high a row of the grid is. */
export interface Page {
  parts: Part[]
  row: number
  /** Pixels that are left. */
  room: number
}

interface Wanted {
  height: number
  /** Pixels of what stands before the first section, 0 for nothing. */
  lead: number
  /** Of the notes at its end, 0 for none. */
  notes: number
  /** Each section on a page of its own, as on slides. */
  apart: boolean
  /** How high a row may become. */
  stretch: number
  /** A list whose further readings come later: it ends with a page that is full. */
  open: string | null
}

const LEAST_LINES = 3 // of a list at the foot of a page
const SHRINKS = 0.74 // further than that a section runs on
const high = (band: Band) => tall(band.rows) + GAP

/** Sections on pages: they follow one another while they fit whole, and lists run on. placed: readings of the open list. */
export function paged(sections: Measured[], wanted: Wanted): { pages: Page[]; placed: number } {
  const pages: Page[] = []
  let left = 0
  let placed = 0
  const turn = () => {
    pages.push({ parts: [], row: ROW, room: 0 })
    left = wanted.height
  }
  const put = (part: Part, height: number) => {
    pages.at(-1)!.parts.push(part)
    left -= height
    pages.at(-1)!.room = left
  }
  const fresh = () => left >= wanted.height - 1
  turn()
  if (wanted.lead) put({ kind: 'lead' }, wanted.lead)
  for (const [at, { section, head, bands, lists }] of sections.entries()) {
    const runs = bands.some((band) => band.long.length)
    const whole = head + bands.reduce((sum, band) => sum + high(band), 0) - GAP
    const shrunk = !runs && whole > left && whole * SHRINKS <= left && at === 0
    if (!fresh() && (wanted.apart || (whole > left && !shrunk && !(runs && left > wanted.height / 3)))) turn()
    const zoom = !runs && whole > left && whole * SHRINKS <= left ? (left / whole) * 0.99 : 1
    put({ kind: 'head', section, again: false }, head * zoom)
    const next = () => {
      turn()
      put({ kind: 'head', section, again: true }, head)
    }
    for (const band of bands) {
      if (band.items.length) {
        const fits = Math.min(zoom, (wanted.height - head - 4) / (high(band) - GAP))
        const takes = high(band) * fits
        if (takes - GAP > left) next()
        put({ kind: 'band', section, band, zoom: fits }, takes)
      }
      for (const item of band.long) {
        const lines = lists[item.id]
        if (!lines) {
          if (!fresh()) turn()
          put({ kind: 'flow', section, item }, wanted.height)
          continue
        }
        let line = 0
        while (line < lines.heights.length) {
          let height = lines.frame
          const first = line
          while (line < lines.heights.length && height + lines.heights[line]! <= left)
            height += lines.heights[line++]!
          const least = Math.min(LEAST_LINES, lines.heights.length - first)
          if (
            line - first < least &&
            !(pages.at(-1)!.parts.length === 1 && pages.at(-1)!.parts[0]!.kind === 'head')
          ) {
            line = first
            next()
            continue
          }
          if (line === first) height += lines.heights[line++]! // a single line that is higher than a page
          const from = lines.ends[first - 1] ?? 0
          const ends = line === lines.heights.length
          if (ends && item.id === wanted.open && first > 0) {
            // What would not fill its page comes with those that follow.
            if (pages.at(-1)!.parts.every((part) => part.kind === 'head')) pages.pop()
            break
          }
          const to = lines.ends[line - 1]!
          if (item.id === wanted.open) placed = to
          put({ kind: 'run', section, item, from, to, height }, height + GAP)
          if (!ends) next()
        }
      }
    }
  }
  if (wanted.notes) {
    if (!fresh() && wanted.notes > left) turn()
    put({ kind: 'notes' }, wanted.notes)
  }
  for (const page of pages) page.row = rowOf(page, wanted)
  return { pages, placed }
}

/** How high a row of a page is, so that its sheets fill it within reason. */
function rowOf(page: Page, wanted: Wanted): number {
  const bands = page.parts.filter((part) => part.kind === 'band')
  if (
    !bands.length ||
    bands.length < page.parts.filter((part) => !['head', 'lead', 'notes'].includes(part.kind)).length
  )
    return ROW
  if (bands.some((part) => part.zoom < 1)) return ROW
  const rows = bands.reduce((sum, part) => sum + part.band.rows, 0)
  return Math.max(ROW, Math.min(wanted.stretch, ROW + Math.floor((page.room - 4) / rows)))
}

/** A section whose sheets are as many rows high as they need. grown: rows by sheet, where its own are too few. */
export function withRows(section: Section, grown: Record<string, number>): Section {
  const every = standing(section).map((item) => ({ ...item, h: Math.max(item.h, grown[item.id] ?? 0) }))
  const placed = new Map(settle(every).map((item) => [item.id, item]))
  const there = <T extends Placed>(items: T[] | undefined) =>
    items?.map((item) => ({ ...item, y: placed.get(item.id)!.y, h: placed.get(item.id)!.h }))
  return {
    ...section,
    instruments: there(section.instruments as Placed[]) as Section['instruments'],
    texts: there(section.texts as Placed[]) as Section['texts'],
    pictures: there(section.pictures as Placed[]) as Section['pictures'],
  }
}

/** Have sheets grow until nothing in them is cut, at once. sheets: those there are; grow: has one be so many rows high. */
export function growNow(
  sheets: () => Iterable<HTMLElement>,
  grow: (sheet: HTMLElement, rows: number) => void,
): void {
  for (let round = 0; round < 5; round++) {
    flushSync()
    let more = false
    for (const sheet of sheets()) more = grown(sheet, grow) || more
    if (!more) break
  }
  flushSync()
}

/** Give a sheet the rows that it lacks; whether it lacked any. */
function grown(sheet: HTMLElement, grow: (sheet: HTMLElement, rows: number) => void): boolean {
  const lacks = lacking(sheet)
  if (lacks)
    grow(sheet, Math.round((sheet.offsetHeight + GAP) / (ROW + GAP)) + Math.ceil(lacks / (ROW + GAP)))
  return lacks > 0
}

/** The same, with what is only drawn once it is on the screen. */
export async function growing(
  sheets: () => Iterable<HTMLElement>,
  grow: (sheet: HTMLElement, rows: number) => void,
) {
  await document.fonts.ready
  for (let round = 0; round < 5; round++) {
    await tick()
    await new Promise((drawn) => requestAnimationFrame(() => requestAnimationFrame(drawn)))
    let more = false
    for (const sheet of sheets()) more = grown(sheet, grow) || more
    if (!more) break
  }
  await tick()
}

/** The lines of a list and how high each is; null where it has none. drawn: which of its readings are, one a line, where
 * not all are: the others are as high as one of them with their name in its place. */
export function linesOf(sheet: HTMLElement, drawn: number[] | undefined, readings: Reading[]): Lines | null {
  const ends: number[] = []
  const heights: number[] = []
  let top = NaN
  const lines = [...sheet.querySelectorAll<HTMLElement>('[data-line]')]
  const boxes = lines.map((line) => line.getBoundingClientRect())
  const zoom = boxes.length ? boxes[0]!.height / lines[0]!.offsetHeight : 1
  for (const [at, box] of boxes.entries()) {
    const next = boxes.slice(at + 1, at + 40).find((other) => other.top > box.top + 1)
    if (box.top > top + 1 || Number.isNaN(top)) {
      heights.push((next ? next.top - box.top : box.height) / zoom)
      ends.push(at + 1)
      top = box.top
    } else ends[ends.length - 1] = at + 1
  }
  if (!heights.length) return null
  const span = (Math.max(...boxes.map((box) => box.bottom)) - boxes[0]!.top) / zoom
  const frame = sheet.offsetHeight - span + 2
  if (!drawn) return { ends, heights, frame }
  const members = drawn.flatMap((at, i) => (readings[at]!.role === 'group' ? [] : [i]))
  const like = members[1] ?? members[0]
  const taller = like === undefined ? () => 0 : ruler(lines[like]!, readings)
  const least = like === undefined ? 0 : heights[like]! - taller(readings[drawn[like]!]!)
  const groups = new Map(drawn.map((at, i) => [at, heights[i]!]))
  const all = readings.map((one, at) => (one.role === 'group' ? groups.get(at)! : least + taller(one)))
  return { ends: all.map((_, at) => at + 1), heights: all, frame }
}

const SIGN = '\u00a0\u25cf\u25cf' // as wide as the sign of a note beside a name
const named = ({ label, word }: Reading) => (word ? label + SIGN : label)
const AS_IN_LINE = ['font', 'letterSpacing', 'lineHeight', 'overflowWrap', 'whiteSpace', 'wordBreak'] as const
/** How many pixels higher than with no name a line is with that of a reading. All names are laid out at once beside it; of
 * those that take as many lines one is tried in its place. */
function ruler(line: HTMLElement, readings: Reading[]): (reading: Reading) => number {
  const name = line.querySelector<HTMLElement>('.name')
  if (!name) return () => 0
  const style = getComputedStyle(name)
  const beside = document.createElement('div')
  for (const property of AS_IN_LINE) beside.style[property] = style[property]
  const width = name.clientWidth - parseFloat(style.paddingLeft) - parseFloat(style.paddingRight)
  Object.assign(beside.style, { position: 'absolute', visibility: 'hidden', width: `${width}px` })
  const texts = ['M', ...new Set(readings.map(named))]
  beside.append(...texts.map((text) => Object.assign(document.createElement('div'), { textContent: text })))
  line.parentElement!.append(beside)
  const takes = new Map(texts.map((text, at) => [text, (beside.children[at] as HTMLElement).offsetHeight]))
  beside.remove()
  const heights = new Map<number, number>()
  const high = (text: string) => {
    const lines = takes.get(text)!
    if (!heights.has(lines)) {
      name.textContent = text
      heights.set(lines, line.offsetHeight)
    }
    return heights.get(lines)!
  }
  const least = high('M')
  return (reading) => high(named(reading)) - least
}

/** How many pixels a sheet lacks for what it lists. */
export function lacking(sheet: HTMLElement): number {
  let most = sheet.scrollHeight - sheet.clientHeight - 3 // lines of a text reach a little further than its box
  for (const part of sheet.querySelectorAll<HTMLElement>('*')) {
    if (part.dataset.needs) most = Math.max(most, Number(part.dataset.needs) - part.clientHeight)
    const style = getComputedStyle(part)
    if (style.overflowY !== 'auto' && style.overflowY !== 'scroll') continue
    most = Math.max(most, part.scrollHeight - part.clientHeight)
  }
  return most > 1 ? Math.ceil(most) : 0
}
