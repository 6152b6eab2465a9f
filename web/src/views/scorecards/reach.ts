/** What can be done with a reading on a page: ask for its workings, keep it by hand, drag its cuts, take it out. */
import {
  api,
  got,
  type Instrument,
  type Picture,
  type Reading,
  type Schemas,
  type Scope,
} from '../../api/client'
import type { Grab } from '../../faces/grab'
import { kindOf, lists } from '../../faces/names.svelte'
import type { Asked } from '../../parts/Workings.svelte'
import type { Session } from './session.svelte'

interface ByHand {
  member: string | null
  step?: string
  done?: boolean
  value?: number
}

/** What the workings of a reading are asked with, and the way to set it where it is kept by hand. */
export function askedOf(
  session: Session,
  instrument: Instrument,
  scope: Scope,
  picture: Picture | undefined,
  reading: Reading,
): Asked {
  const [ask, member] = [reading.ask ?? null, reading.member ?? null]
  const byHand =
    !ask && picture?.by_hand === 'value' && reading.value !== null
      ? { shown: reading.shown, set: (value: number) => keepByHand(session, instrument, { member, value }) }
      : undefined
  return { instrument, scope, member, ask, byHand }
}

export async function keepByHand(session: Session, instrument: Instrument, what: ByHand) {
  // Sure: the field asked about what is far from usual.
  const body = { instrument, scope: session.pageScope, sure: true, ...what }
  await got(api.POST('/api/scorecards/by-hand', { body }))
  await session.read()
}

/** Tick a step of a checklist, or set a score that is kept by hand to the value of a step. */
export async function tick(
  session: Session,
  instrument: Instrument,
  picture: Picture | undefined,
  reading: Reading,
  step: Schemas['Step'],
  done: boolean,
) {
  const member = reading.member ?? null
  if (picture?.by_hand === 'steps') return keepByHand(session, instrument, { member, step: step.name, done })
  const at = reading.steps.findIndex((known) => known.name === step.name)
  const value = done ? step.value : (reading.steps[at - 1]?.value ?? picture?.axis?.low)
  return keepByHand(session, instrument, { member, value: value ?? 0 })
}

/** Cuts and marks of one reading that can be dragged on its face; a mark only where it is one month's own. */
export function grabs(
  session: Session,
  instrument: Instrument,
  picture: Picture | undefined,
): Grab | undefined {
  const reading = picture?.readings[0]
  if (!kindOf(instrument.face).drags || !picture || !reading || lists(picture)) return
  const name = reading.marks[0]?.name ?? ''
  const own = instrument.own.period !== 'page' || Object.keys(instrument.own.members).length
  const plain = !own && !reading.partial && /^\d{4}-\d{2}$/.test(picture.period)
  return {
    name,
    cut: (at, fraction, done, fine) => session.dragCut(instrument, at, fraction, done, fine),
    mark:
      plain && name && session.picture?.mark_owner
        ? (which, fraction, done, fine) => session.dragMark(instrument, which, fraction, done, fine)
        : undefined,
  }
}

/** Take a ledger out as a file. */
export async function takeOut(instrument: Instrument, scope: Scope, title: string, kind: 'csv' | 'xlsx') {
  const asked = { params: { query: { kind } }, body: { instrument, scope }, parseAs: 'blob' } as const
  const file = (await got(api.POST('/api/scorecards/ledger', asked))) as Blob
  const link = document.createElement('a')
  link.href = URL.createObjectURL(file)
  link.download = `${title}.${kind}`
  link.click()
  URL.revokeObjectURL(link.href)
}
