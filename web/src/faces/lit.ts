/** Which readings stay bright where a part of the tally was pressed. */
import { getContext } from 'svelte'
import type { Reading } from '../api/client'

/** A state, or graded, not_graded, no_reading, or wanted for those without a word. */
export const isLit = (reading: Reading, lit: string) =>
  lit === 'wanted' ? reading.word === 'wanted' : (reading.state ?? reading.status) === lit

/** To be called while a component is set up: tells of a reading whether it is dimmed now. */
export function dimmer(): (reading: Reading) => boolean {
  const lit = getContext<(() => string) | undefined>('lit')
  return (reading) => {
    const now = lit?.()
    return !!now && !isLit(reading, now)
  }
}
