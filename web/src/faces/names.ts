import type { Picture } from '../api/client'
import type { FaceName } from './looks'

/** Whether a picture lists readings, even a single one, rather than one of all rows together. */
export const lists = (picture: Picture) =>
  picture.readings.length > 1 || (picture.readings[0]?.role ?? 'all') !== 'all'

interface Kind {
  key: FaceName
  name: string
  phrase: string
  /** How it takes several readings: as rows or marks of one drawing, one small drawing each, or only so. */
  many: 'together' | 'each' | 'only'
  /** Whether it can list KPIs side by side. */
  kpis?: boolean
  /** Columns and rows a new one takes. */
  size: [number, number]
}
export const FACES: Kind[] = [
  { key: 'dial', name: 'Dial', phrase: 'a dial', many: 'each', size: [3, 6] },
  { key: 'bullet', name: 'Bullet', phrase: 'a bullet', many: 'together', size: [4, 4] },
  { key: 'bar', name: 'Bar', phrase: 'a bar of progress', many: 'together', size: [4, 4] },
  { key: 'column', name: 'Column', phrase: 'a column', many: 'each', size: [3, 5] },
  { key: 'ring', name: 'Ring', phrase: 'a ring', many: 'each', size: [3, 5] },
  { key: 'pips', name: 'Pips', phrase: 'pips', many: 'together', size: [4, 4] },
  { key: 'lamp', name: 'Lamp', phrase: 'a lamp', many: 'together', kpis: true, size: [3, 3] },
  { key: 'tile', name: 'Tile', phrase: 'a tile', many: 'together', kpis: true, size: [3, 3] },
  { key: 'chip', name: 'Chip', phrase: 'a chip', many: 'together', kpis: true, size: [3, 3] },
  { key: 'figure', name: 'Figure', phrase: 'a figure', many: 'each', size: [3, 4] },
  { key: 'ledger', name: 'Ledger', phrase: 'a ledger', many: 'together', kpis: true, size: [8, 7] },
  { key: 'ranked', name: 'Ranked bars', phrase: 'ranked bars', many: 'together', size: [6, 6] },
  { key: 'quadrant', name: 'Quadrant', phrase: 'a quadrant', many: 'only', size: [6, 9] },
  {
    key: 'profile',
    name: 'Round profile',
    phrase: 'a round profile',
    many: 'only',
    kpis: true,
    size: [5, 8],
  },
  { key: 'history', name: 'History', phrase: 'a history', many: 'each', size: [6, 5] },
  { key: 'strip', name: 'State strip', phrase: 'a state strip', many: 'together', size: [6, 4] },
]

export const kindOf = (face: string) => FACES.find((known) => known.key === face) ?? FACES[0]!
export const phrase = (face: string) => kindOf(face).phrase
