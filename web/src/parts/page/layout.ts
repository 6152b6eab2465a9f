/** The 12-column grid of a section: where instruments go when one is moved or resized. */
import type { Instrument, Placed as Standing, Section } from '../../api/client'

export const COLUMNS = 12
export const ROW = 28
export const GAP = 12

type Placed = Pick<Standing, 'id' | 'x' | 'y' | 'w' | 'h'>

const meet = (a: Placed, b: Placed) =>
  a.id !== b.id && a.x < b.x + b.w && b.x < a.x + a.w && a.y < b.y + b.h && b.y < a.y + a.h

/** Keep a place within the grid. */
export function within<T extends Placed>(item: T): T {
  const w = Math.min(COLUMNS, Math.max(2, Math.round(item.w)))
  return {
    ...item,
    w,
    h: Math.max(2, Math.min(60, Math.round(item.h))),
    x: Math.min(COLUMNS - w, Math.max(0, Math.round(item.x))),
    y: Math.max(0, Math.min(500, Math.round(item.y))),
  }
}

/** Keep a place to so many columns of one width, where there are any. */
export function snapped<T extends Placed>(item: T, columns = 0): T {
  if (!columns) return within(item)
  const wide = COLUMNS / columns
  const w = Math.min(COLUMNS, Math.max(1, Math.round(item.w / wide)) * wide)
  return within({ ...item, w, x: Math.min(COLUMNS - w, Math.round(item.x / wide) * wide) })
}

/** Put `moved` where it is wanted: what it meets makes room below, then all close up towards the top. */
export function settle<T extends Placed>(items: T[], moved?: T): T[] {
  const order = [...items]
    .map((item) => (moved && item.id === moved.id ? within(moved) : item))
    .sort((a, b) => a.y - b.y || Number(b.id === moved?.id) - Number(a.id === moved?.id) || a.x - b.x)
  const set: T[] = []
  for (const item of order) {
    let y = item.y
    while (set.some((other) => meet({ ...item, y }, other))) y += 1
    while (y > 0 && !set.some((other) => meet({ ...item, y: y - 1 }, other))) y -= 1
    set.push({ ...item, y })
  }
  return items.map((item) => set.find((other) => other.id === item.id)!)
}

/** The first free place for a new instrument of a size, under everything when nothing is free. */
export function place(items: Placed[], w: number, h: number): { x: number; y: number } {
  const bottom = items.reduce((most, item) => Math.max(most, item.y + item.h), 0)
  for (let y = 0; y < bottom; y++)
    for (let x = 0; x + w <= COLUMNS; x++)
      if (!items.some((item) => meet({ id: '', x, y, w, h }, item))) return { x, y }
  return { x: 0, y: bottom }
}

/** Everything that stands in a section. */
export const standing = (section: Section): Standing[] => [
  ...(section.instruments ?? []),
  ...(section.texts ?? []),
  ...(section.pictures ?? []),
]
export const isText = (item: Standing): item is Extract<Standing, { text: string }> => 'text' in item
export const isPicture = (item: Standing): item is Extract<Standing, { alt: string }> => 'alt' in item
export const isInstrument = (item: Standing): item is Instrument => 'kpi' in item

/** Have these stand in a section, each among its like. */
export function stand(section: Section, items: Standing[]) {
  section.instruments = items.filter(isInstrument)
  section.texts = items.filter(isText)
  section.pictures = items.filter(isPicture)
}
