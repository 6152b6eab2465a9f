/** How rows are read by the clock, in words. */
import type { Schemas } from '../../api/client'

export type Change = Schemas['RefreshChange']
export type Clock = Schemas['ClockBody']
export const DAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday']
export const HOWS: Record<NonNullable<Change['how']>, string> = {
  replace: 'all rows replaced',
  periods: 'the days it covers replaced',
  append: 'its rows added',
}
export const zoneHere = () => Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC'

export function fresh(): Change {
  return {
    origin: { kind: 'address', url: '' },
    clock: { every: 'day', at: '06:00', weekday: 0, day: 1, zone: zoneHere() },
    how: 'replace',
    most_gone: 0.2,
    superseded: 'dropped',
    token: null,
  }
}

export function said(clock: Clock): string {
  const at = clock.at ?? '06:00'
  if (clock.every === 'hour') return `every hour at ${at.slice(3)} minutes past`
  if (clock.every === 'week') return `every ${DAYS[clock.weekday ?? 0]} at ${at}`
  if (clock.every === 'month') return `on day ${clock.day} of every month at ${at}`
  return `every day at ${at}`
}

export const zoneSaid = (clock: Clock) => (clock.zone === zoneHere() ? '' : ` (${clock.zone})`)
