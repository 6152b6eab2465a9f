import type { Instrument, Picture, Reading, Schemas } from '../api/client'
import type { Grab } from './grab'
import { colour } from '../api/states.svelte'

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

export const LOOK: Look = {
  dial: { sweep: 210, ring: 'bands', hand: 'needle', names: false },
  bullet: { standing: false },
  bar: { ends: 'round' },
  ring: { segments: 20 },
  pips: { steps: 5 },
  lamp: { lights: 'all' },
  ledger: { columns: ['value', 'mark', 'gap', 'bullet', 'state'] },
  quadrant: {
    mark: 'target',
    reverse_up: false,
    reverse_across: false,
    quarters: ['beyond', 'met', 'near', 'short'].map((state) => ({ name: '', state })),
  },
  profile: { form: 'outline' },
  history: { form: 'line', periods: 12 },
}

/** A reading in full: value, state, mark, gap and the band it lies in. */
export const told = (reading: Pick<Reading, 'spoken' | 'band_words'>) =>
  reading.band_words && !reading.spoken.includes(reading.band_words)
    ? `${reading.spoken}; its band: ${reading.band_words}`
    : reading.spoken

/** The colour of a reading: of its ramp where it has one, else of its state. */
export const paint = (reading: Pick<Reading, 'shade' | 'state'>) =>
  reading.shade ?? (reading.state ? colour(reading.state) : 'var(--soft)')
