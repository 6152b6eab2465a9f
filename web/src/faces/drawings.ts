/** Small drawings of a reading as SVG text. Lists draw thousands of them, on the screen and on paper: each is put in its
 *  place in one go. */
import type { Picture, Reading } from '../api/client'
import { colour, stateOf, tint } from '../api/states.svelte'
import { paint } from './looks'

const ENTITIES: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' }
/** A text as it may stand in HTML, and in its attributes. */
export const escaped = (text: string) => text.replace(/[&<>"]/g, (sign) => ENTITIES[sign]!)

const SHAPES: Record<string, { line: number; dot: number; stem?: true; square?: true }> = {
  'far-under': { line: 4.5, dot: 12, stem: true },
  'just-under': { line: 7, dot: 9.4 },
  'just-over': { line: 9, dot: 6.6 },
  'far-over': { line: 11.5, dot: 4, stem: true },
  on: { line: 8, dot: 8 },
  'deep-under': { line: 3, dot: 12, stem: true, square: true },
  'deep-over': { line: 13, dot: 4, stem: true, square: true },
}
/** A sign: a short line with a dot under, on or over it, near or far; a square when it is deeper still. hollow: its dot
 *  is open. */
function outline(sign: string, hollow: boolean): string {
  const shape = SHAPES[sign]
  if (!shape) return ''
  const { line, dot } = shape
  const far = hollow && shape.stem ? dot + Math.sign(line - dot) * 2.6 : dot // the stem ends where the open dot begins
  const stem = `M7.2 ${Math.min(line, far)}h1.6v${Math.abs(far - line)}h-1.6z`
  const end = shape.square ? `M5 ${dot - 3}h6v6h-6z` : `M5.4 ${dot}a2.6 2.6 0 1 1 5.2 0a2.6 2.6 0 1 1 -5.2 0z`
  const bar = `M1 ${line - 0.95}h14v1.9h-14z${shape.stem ? stem : ''}`
  if (!hollow) return `<path d="${bar}${end}" fill="currentColor"/>`
  const open = 'fill="var(--sheet)" stroke="currentColor" stroke-width="1.3"'
  return `<path d="${bar}" fill="currentColor"/><path class="hollow" d="${end}" ${open}/>`
}

/** What is told beside a state: a ring for a signal, a hollow sign for too few rows to tell. */
export interface Standing {
  usual?: Pick<NonNullable<Reading['usual']>, 'signal'> | null
  few?: string
}

/** The sign of a state. sign: in place of the state's own; size: in pixels; fill: in place of the state's colour; of: the
 *  reading whose state it is. */
export function signOf(
  state: string | null | undefined,
  size = 16,
  fill?: string,
  sign?: string,
  of?: Standing,
): string {
  const path = outline(sign ?? stateOf(state)?.sign ?? '', !!of?.few)
  const ring = of?.usual?.signal
    ? `<circle class="ring" cx="8" cy="8" r="9.4" fill="none" stroke="${fill ?? 'var(--ink)'}" stroke-width="1.5"/>`
    : ''
  const drawn =
    (path ? path : '<path d="M3 8H13" stroke="currentColor" stroke-width="1.6" stroke-dasharray="2 2"/>') +
    ring
  return `<svg class="sign" viewBox="0 0 16 16" width="${size}" height="${size}" style="color:${fill ?? colour(state)};overflow:visible" aria-hidden="true">${drawn}</svg>`
}

/** The sign of a note: a slip with two lines of writing; an empty, dashed one where a word is asked for. */
export function slipOf(wanted: boolean, size = 14): string {
  const slip = `d="M2 1.5H12V9.5L9 12.5H2Z" fill-opacity="0.16" stroke="currentColor" stroke-width="1.3"`
  const drawn = wanted
    ? `<path ${slip} fill="none" stroke-dasharray="2 1.6"/>`
    : `<path ${slip} fill="currentColor"/><path d="M4.2 4.8H9.8M4.2 7.6H8" stroke="currentColor" stroke-width="1.3"/>`
  return `<svg class="slip" viewBox="0 0 14 14" width="${size}" height="${size}" aria-hidden="true">${drawn}</svg>`
}

/** The product's mark on a straight scale: a dark line across it, a solid triangle at its foot. To stand in an SVG. */
export function markOf(mark: Reading['marks'][number], top: number, bottom: number): string {
  if (mark.past) return ''
  const line = `d="M0 ${top}V${bottom}"`
  return (
    `<svg x="${mark.fraction * 100}%" overflow="visible">` +
    `<path ${line} stroke="var(--sheet)" stroke-width="4"/><path ${line} stroke="var(--ink)" stroke-width="2"/>` +
    `<path d="M-3.8 ${bottom + 4.5}H3.8L0 ${bottom - 1}Z" fill="var(--ink)"/>` +
    `<title>${escaped(`${mark.name} ${mark.shown}`)}</title></svg>`
  )
}

/** The sign that a value lies past the end of its axis: two wedges pointing on. past: 1 or −1. To stand in an SVG. */
export function overrunOf(past: number, at: number, size = 6): string {
  if (!past) return ''
  const wedge = `d="M0 ${at - size}L${size * 0.9 * past} ${at}L0 ${at + size}Z"`
  return (
    `<svg x="${past > 0 ? '100%' : '0%'}" overflow="visible" class="overrun">` +
    `<g transform="translate(${-past * size * 2.4} 0)" fill="var(--sheet)" stroke="var(--ink)" stroke-width="1">` +
    `<path ${wedge}/><path ${wedge} transform="translate(${past * size} 0)"/></g></svg>`
  )
}

/** A small history with its target, by fractions of its own height. wide: as wide and high as its place. */
export function sparkOf(
  line: (number | null)[],
  target: (number | null)[],
  state: string | null,
  wide = false,
): string {
  const [W, H] = [58, 22]
  const x = (i: number) => 4 + (i / Math.max(1, line.length - 1)) * (W - 8)
  const y = (fraction: number) => H - 4 - fraction * (H - 8)
  const path = (values: (number | null)[]) =>
    values
      .map((value, i) =>
        value === null ? '' : `${i === 0 || values[i - 1] === null ? 'M' : 'L'}${x(i)} ${y(value)}`,
      )
      .join('')
  const last = line.at(-1)
  const end = last == null ? '' : `<circle cx="${x(line.length - 1)}" cy="${y(last)}" r="3.2" fill="${state ? colour(state) : 'var(--soft)'}" stroke="var(--sheet)"/>` // prettier-ignore
  return (
    `<svg width="${wide ? '100%' : W}" height="${wide ? '100%' : H}" viewBox="0 0 ${W} ${H}" preserveAspectRatio="xMidYMid meet" aria-hidden="true">` +
    `<path d="${path(target)}" fill="none" stroke="var(--ink)" stroke-dasharray="2 2"/>` +
    `<path d="${path(line)}" fill="none" stroke="var(--soft)"/>${end}</svg>`
  )
}

/** Tally strokes in fives, the fifth across the four before it. */
export function strokesOf(count: number, colour: string): string {
  const fives = Math.floor(count / 5)
  const parts: string[] = []
  for (let five = 0; five < fives; five++) {
    const x = five * 20 + 2
    for (let i = 0; i < 4; i++) parts.push(`M${x + i * 4} 2V14`)
    parts.push(`M${x - 2} 12L${x + 14} 4`)
  }
  for (let i = 0; i < count % 5; i++) parts.push(`M${fives * 20 + 2 + i * 4} 2V14`)
  return (
    `<svg class="strokes" viewBox="0 0 ${Math.max(20, fives * 20 + (count % 5) * 4 + 2)} 16" height="16" preserveAspectRatio="xMinYMid meet" role="presentation">` +
    `<path d="${parts.join('')}" stroke="${colour}" stroke-width="1.8" fill="none"/><title>${count} strokes</title></svg>`
  )
}

const drawing = (height: number, drawn: string) =>
  `<svg width="100%" height="${height}" class="drawn" role="presentation">${drawn}</svg>`
const faint = (reading: Reading) => (reading.partial ? ' fill-opacity="0.6"' : '')

/** A value on the bands of its yardstick, in a row. */
export function bandsOf(reading: Reading, axis: Picture['axis']): string {
  const H = 15
  const bands = reading.bands
    .map(
      ({ start, end, state }) =>
        `<rect x="${start * 100}%" width="${(end - start) * 100}%" height="${H}" fill="${tint(state)}"/>`,
    )
    .join('')
  const zero = (reading.axis ?? axis)?.zero ?? 0
  const from = Math.min(zero, reading.fraction) * 100
  const value =
    reading.value === null
      ? ''
      : `<rect x="${from}%" width="${Math.abs(reading.fraction - zero) * 100}%" y="${H * 0.3}" height="${H * 0.4}" fill="${paint(reading)}"${faint(reading)}/>` +
        overrunOf(reading.past, H / 2, H * 0.3)
  const marks = reading.marks.map((mark) => markOf(mark, 0, H - 1)).join('')
  const ground = bands || `<rect width="100%" height="${H}" fill="var(--nothing-tint)"/>`
  return drawing(H + 5, ground + value + marks)
}

/** How far its mark is reached, as a bar. */
export function progressOf(reading: Reading): string {
  const { attainment } = reading
  const value =
    attainment === null
      ? ''
      : `<rect width="${Math.min(1, Math.max(0, attainment)) * 100}%" height="11" rx="2" fill="${paint(reading)}"${faint(reading)}/>` +
        (attainment > 1 ? overrunOf(1, 5.5, 4) : '')
  return drawing(11, `<rect width="100%" height="11" rx="2" fill="var(--track)"/>${value}`)
}

/** How far over or under its mark, to the right or left of the middle. */
export function headroomOf(reading: Reading): string {
  const side = reading.side ?? 0
  const from = (side < 0 ? 0.5 + side / 2 : 0.5) * 100
  const value =
    reading.side === null
      ? ''
      : `<rect x="${from}%" width="${Math.abs(side) * 50}%" y="3" height="11" fill="${paint(reading)}"/>`
  const middle = '<line x1="50%" x2="50%" y2="17" stroke="var(--ink)" stroke-width="1.4"/>'
  return drawing(17, `${value}${middle}<title>${escaped(reading.headroom_shown)}</title>`)
}
