/** Days as the organisation writes them. */
import { writtenAs } from './numbers'

type Style = 'long' | 'medium' | 'moment'
const OPTIONS: Record<Style, Intl.DateTimeFormatOptions> = {
  long: { dateStyle: 'long', timeZone: 'UTC' },
  medium: { dateStyle: 'medium', timeZone: 'UTC' },
  moment: { dateStyle: 'medium', timeStyle: 'short' },
}
const made = new Map<string, Intl.DateTimeFormat>()

function format(style: Style, day: string): string {
  const key = `${style} ${writtenAs()}`
  if (!made.has(key)) made.set(key, new Intl.DateTimeFormat(writtenAs(), OPTIONS[style]))
  return made.get(key)!.format(new Date(day))
}
export const longDay = (day: string | null | undefined) => (day ? format('long', day) : 'no day yet')
export const mediumDay = (day: string | null | undefined) => (day ? format('medium', day) : 'no day')
export const when = (at: string) => format('moment', at)
