/** What the columns of a ledger tell, how wide they are, which find room, and in what order rows stand. */
import type { Picture, Reading, Schemas } from '../api/client'
import { stateOf } from '../api/states.svelte'
import * as drawings from './drawings'
import { widthOf } from './labels'
import { paint } from './looks'

export type Column = Schemas['LedgerLook']['columns'][number]
export type Order = { by: Column | 'name'; down: boolean } | null

export const isNumber = (column: string) => ['value', 'mark', 'gap', 'attainment'].includes(column)

export function headsOf(picture: Picture, wide: Reading[]): Record<Column, string> {
  const mark = wide.find((reading) => reading.marks.length)?.marks[0]?.name ?? 'mark'
  return {
    value: 'Value',
    mark: mark[0]!.toLocaleUpperCase() + mark.slice(1),
    gap: 'Gap',
    attainment: 'Reached',
    bullet: 'On its bands',
    progress: 'Progress',
    strokes: `Tally, ${picture.stroke} each`,
    headroom: 'Headroom',
    trail: 'History',
    usual: 'Usual range',
    signal: 'Signal',
    outlook: 'Outlook',
    state: 'State',
  }
}

const stateTold = (reading: Reading) =>
  (reading.state && reading.partial
    ? `${stateOf(reading.state)?.name} so far`
    : stateOf(reading.state)?.name) ?? (reading.status === 'no_reading' ? 'no reading' : 'not graded')

/** What a cell says in words or figures. */
function textOf(reading: Reading, column: Column): string {
  switch (column) {
    case 'value':
    case 'bullet':
      return reading.shown
    case 'mark':
      return reading.marks[0]?.shown ?? ''
    case 'gap':
      return reading.gap_shown
    case 'attainment':
    case 'progress':
      return reading.attainment_shown
    case 'strokes':
      return reading.value === null ? '' : String(reading.strokes)
    case 'headroom':
      return reading.headroom_shown
    case 'state':
      return stateTold(reading)
    case 'usual':
      return reading.usual?.range ?? ''
    case 'signal':
      return reading.usual?.signal ?? ''
    case 'outlook':
      return reading.going ? `${reading.going.shown}, likely ${reading.going.range}` : ''
    case 'trail':
      return ''
  }
}

/** What stands in a cell, as HTML. signs: states are told by their sign alone. */
export function cellOf(reading: Reading, column: Column, axis: Picture['axis'], signs = false): string {
  switch (column) {
    case 'state':
      return `${drawings.signOf(reading.state, 16, undefined, undefined, reading)}<span class="${signs ? 'sr-only' : 'told'}">${drawings.escaped(stateTold(reading))}</span>`
    case 'bullet':
      return drawings.bandsOf(reading, axis)
    case 'progress':
      return drawings.progressOf(reading)
    case 'strokes':
      return drawings.strokesOf(reading.strokes, paint(reading))
    case 'headroom':
      return drawings.headroomOf(reading)
    case 'trail':
      return drawings.sparkOf(
        reading.trail.map((moment) => moment.at),
        reading.trail.map((moment) => moment.mark),
        reading.state,
      )
    default:
      return drawings.escaped(textOf(reading, column))
  }
}

export const classesOf = (reading: Reading, column: Column) =>
  `c-${column}${isNumber(column) ? ' right' : ''}${reading.value === null ? ' none' : ''}`

/** Cells of a row as HTML. */
export const cellsOf = (reading: Reading, columns: Column[], axis: Picture['axis'], signs = false) =>
  columns
    .map(
      (column) =>
        `<div role="cell" class="${classesOf(reading, column)}">${cellOf(reading, column, axis, signs)}</div>`,
    )
    .join('')

/** A row as HTML, where nothing is pressed: on paper. */
export function rowOf(reading: Reading, columns: Column[], picture: Picture, dim: boolean): string {
  const slip = reading.word ? `&nbsp;${drawings.slipOf(reading.word === 'wanted', 12)}` : ''
  return (
    `<div class="line r-${reading.role}${dim ? ' dim' : ''}" role="row" data-line>` +
    `<div role="rowheader" class="name">${drawings.escaped(reading.label || picture.title)}${slip}</div>${cellsOf(reading, columns, picture.axis)}</div>`
  )
}

/** The least width of each column in pixels, and whether it takes more where there is room: the widest text gives a column
 * of figures its width; drawings share what is left. */
export function widthsOf(
  columns: Column[],
  heads: Record<Column, string>,
  wide: Reading[],
): [number, boolean][] {
  return columns.map((column) => {
    const widest = wide.reduce(
      (most, reading) => Math.max(most, widthOf(textOf(reading, column), 13.4)),
      widthOf(heads[column], 11.5) + 14,
    )
    if (isNumber(column)) return [Math.ceil(widest + 6), false]
    if (['usual', 'signal', 'outlook'].includes(column)) return [Math.min(220, Math.ceil(widest + 6)), true]
    if (column === 'state') return [Math.ceil(widest + 26), false]
    return [{ bullet: 90, trail: 66 }[column as string] ?? 80, column !== 'trail']
  })
}

const GAP = 12
const SIGN = 20
const [NAME_LEAST, NAME_FAIR, NAME_MOST] = [84, 150, 270]
const HEAD = 56 // how many rows there are, and the way to sort them

/** What finds room in so many pixels: names first. Where it is narrow a state is told by its sign, then drawings go, then
 * figures that others give too; nothing lies past the sheet's edge, and what is left out is named below. across: 0 where
 * nothing has to go; longest: the pixels of the longest name. */
export function fitted(columns: Column[], widths: [number, boolean][], longest: number, across: number) {
  const kept = columns.map((column, at) => ({ column, px: widths[at]![0], grows: widths[at]![1] }))
  const gone: Column[] = []
  let name = Math.min(NAME_MOST, Math.max(NAME_LEAST, longest))
  const over = () => name + kept.reduce((sum, one) => sum + one.px + GAP, 0) - across
  const leave = (...ones: Column[]) => {
    for (const one of ones) {
      const at = kept.findIndex((known) => known.column === one)
      if (over() > 0 && at >= 0 && kept.length > 1) gone.push(kept.splice(at, 1)[0]!.column)
    }
  }
  const state = kept.find((one) => one.column === 'state')
  let signs = false
  if (across) {
    if (over() > 0 && state) {
      signs = true
      state.px = SIGN
    }
    leave('trail', 'headroom', 'strokes', 'progress', 'outlook', 'usual')
    name = Math.max(Math.min(name, NAME_FAIR), name - Math.max(0, over()))
    leave('bullet', 'attainment', 'mark')
    name = Math.max(Math.min(name, NAME_LEAST), name - Math.max(0, over()))
    leave('signal')
    leave('gap')
    leave('state')
    name = Math.max(Math.min(name, HEAD), name - Math.max(0, over()))
  }
  // On a sheet that holds not even one figure the rest is scrolled to.
  const least = over() > 0 && across ? across + over() : 0
  const template = [
    `minmax(${name}px, 1.2fr)`,
    ...kept.map(({ px, grows }) => (grows ? `minmax(${px}px, 1fr)` : `${px}px`)),
  ].join(' ')
  return { columns: kept, gone: columns.filter((column) => gone.includes(column)), signs, template, least }
}

const figure = (reading: Reading, column: Column): number | null => {
  if (column === 'mark') return reading.marks[0]?.value ?? null
  if (column === 'gap') return reading.gap
  if (column === 'attainment' || column === 'progress') return reading.attainment
  if (column === 'headroom') return reading.headroom
  if (column === 'state') return stateOf(reading.state)?.rank ?? null
  return reading.value
}

/** Groups keep their place; the rows of each are sorted. What has no figure stands last either way. */
export function ordered(readings: Reading[], order: Order): Reading[] {
  if (!order) return readings
  const { by } = order
  const way = order.down ? -1 : 1
  const compare = (one: Reading, other: Reading) => {
    if (by === 'name') return way * one.label.localeCompare(other.label)
    const [a, b] = [figure(one, by), figure(other, by)]
    if (a === null || b === null) return a === b ? 0 : a === null ? 1 : -1
    return way * (a - b)
  }
  const blocks: Reading[][] = [[]]
  for (const reading of readings)
    if (reading.role === 'group') blocks.push([reading])
    else blocks.at(-1)!.push(reading)
  return blocks.flatMap((block) => {
    const heads = block.filter((reading) => reading.role === 'group')
    const rest = block.filter((reading) => reading.role === 'rest')
    const inside = block.filter((reading) => reading.role !== 'group' && reading.role !== 'rest')
    return [...heads, ...inside.sort(compare), ...rest]
  })
}

/** By what rows are sorted once a head is pressed: it, turned round, or as they came. */
export function pressed(order: Order, by: Column | 'name'): Order {
  const down = by !== 'name'
  if (order?.by !== by) return { by, down }
  return order.down === down ? { by, down: !down } : null
}

/** The rows as a table to be pasted elsewhere. */
export function asTable(
  rows: Reading[],
  columns: Column[],
  heads: Record<Column, string>,
  title: string,
): string {
  const cell = (reading: Reading, column: Column) =>
    column === 'trail' ? reading.trail.map((moment) => moment.shown).join(' ') : textOf(reading, column)
  return [
    ['', ...columns.map((column) => heads[column])],
    ...rows.map((reading) => [reading.label || title, ...columns.map((column) => cell(reading, column))]),
  ]
    .map((line) => line.map((text) => text.replace(/[\t\n]/g, ' ')).join('\t'))
    .join('\n')
}
