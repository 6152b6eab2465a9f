import { api, got, insisted, type Picture, type Schemas } from '../api/client'
import type { FaceName } from './looks'

/** Whether a picture lists readings, even a single one, rather than one of all rows together. */
export const lists = (picture: Picture) =>
  measured(picture).length > 1 || (picture.readings[0]?.role ?? 'all') !== 'all'

/** A part of a picture's readings, on a page of paper: drawn as wide as all of them are. */
export interface Part extends Picture {
  all: Picture['readings']
  /** How many there are, with those that come in other parts. */
  count: number
}
/** The readings that a list takes its widths from. */
export const measured = (picture: Picture) => (picture as Partial<Part>).all ?? picture.readings

/** The server's table of faces; what each can do stands there once. */
type Kind = Omit<Schemas['Face'], 'key' | 'size'> & { key: FaceName; size: [number, number] }
let table = $state.raw<Kind[]>([])

let paints = $state.raw<Schemas['Colours']>({ plain: {}, ramps: {} })

export async function loadFaces() {
  const [kinds, found] = await insisted(() =>
    Promise.all([got(api.GET('/api/faces')), got(api.GET('/api/faces/colours'))]),
  )
  knowFaces(kinds, found)
}

export function knowFaces(kinds: unknown[], found: Schemas['Colours']) {
  table = kinds as Kind[]
  paints = found
}

const UNKNOWN: Kind = {
  key: 'dial',
  name: '',
  phrase: '',
  many: 'each',
  size: [3, 6],
  kpis: false,
  axis: 'open',
  ends: false,
  ticks: false,
  full: false,
  trail: false,
  cuts: false,
  listed: false,
  states: false,
  drags: false,
  legend: false,
  sorted: true,
  reaches: false,
  shrinks: false,
  figure: 'above',
  names_state: false,
  steps: false,
}

export const faces = () => table
/** The plain colours and the ramps there are. */
export const colours = () => paints
/** What a face can do. Until the table is there, no more than any of them can. */
export const kindOf = (face: string) => table.find((known) => known.key === face) ?? UNKNOWN
export const phrase = (face: string) => kindOf(face).phrase
