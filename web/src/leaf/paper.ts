/** Sheets laid out for paper: what stands side by side stays together, what grows runs on, nothing is scrolled. */
import { flushSync, tick } from 'svelte'
import type { Placed, Section } from '../api/client'
import { GAP, ROW, settle, standing } from '../views/scorecards/layout'

export type Paper = 'a4' | 'a3' | 'letter' | 'wide'
const MM = 96 / 25.4
/** Millimetres, all of them lying. */
const SIZES: Record<Paper, [number, number]> = {
  a4: [297, 210],
  a3: [420, 297],
  letter: [279.4, 215.9],
  wide: [338.67, 190.5],
}
export const MARGIN = { top: 15, side: 12, foot: 13 }
const LEAST = 1032 // pixels that a page is laid out in at least

export interface Room {
  /** Pixels of the layout; ``zoom`` makes them those of the paper. */
  width: number
  height: number
  zoom: number
  size: string
}

export function roomOf(paper: Paper): Room {
  const [across, along] = SIZES[paper]
  const width = (across - 2 * MARGIN.side) * MM
  const zoom = Math.min(1, width / LEAST)
  return {
    width: width / zoom,
    height: ((along - MARGIN.top - MARGIN.foot) * MM) / zoom,
    zoom,
    size: `${across}mm ${along}mm`,
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
 * for what it lists; most: rows that a page has, past which a sheet runs on by itself.
 */
export function bandsOf(items: Placed[], grown: Record<string, number>, most: number): Band[] {
  const long = items.filter((item) => (grown[item.id] ?? 0) > most)
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
