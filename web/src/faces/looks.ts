import type { Instrument, Picture, Reading, Schemas } from '../api/client'
import type { Grab } from './grab'
import looks from '../api/looks.json'
import { colour, tint } from '../api/states.svelte'

export type Look = Schemas['Look']
export type FaceName = Instrument['face']

/** What every face is given. ``open`` asks for the workings of a reading. */
export interface FaceProps {
  picture: Picture
  look: Look
  mini?: boolean
  open?: (reading: Reading) => void
  /** Given on the bench: cuts and marks can be dragged. */
  grab?: Grab
  /** Tick or clear a step of what is kept by hand; only given where that can be done. */
  tick?: (reading: Reading, step: Schemas['Step'], done: boolean) => void
  /** Take the rows out as a file. */
  take?: (kind: 'csv' | 'xlsx') => void
}

/** How faces draw unless they are told otherwise. */
export const LOOK = looks as Look

/** A reading in full: value, state, mark, gap and the band it lies in. */
export const told = (reading: Pick<Reading, 'spoken' | 'band_words'>) =>
  reading.band_words && !reading.spoken.includes(reading.band_words)
    ? `${reading.spoken}; its band: ${reading.band_words}`
    : reading.spoken

/** A lit segment's colour, and that of one that is not. */
export const litBy = (segment: Schemas['Segment'], reading: Reading, hatched: string) =>
  segment.shade ??
  (segment.state === reading.state ? hatched : segment.state ? colour(segment.state) : 'var(--track)')
export const unlit = (segment: Schemas['Segment'], look: { paint: string }) =>
  segment.shade
    ? `color-mix(in oklab, ${segment.shade} 26%, var(--sheet))`
    : look.paint === 'state' && segment.state
      ? tint(segment.state)
      : 'var(--track)'

/** The colour of a reading: of its ramp where it has one, else of its state. */
export const paint = (reading: Pick<Reading, 'shade' | 'state'>) =>
  reading.shade ?? (reading.state ? colour(reading.state) : 'var(--soft)')
