/** Days as people read them. */
const long = new Intl.DateTimeFormat('en-GB', { dateStyle: 'long', timeZone: 'UTC' })
const medium = new Intl.DateTimeFormat('en-GB', { dateStyle: 'medium', timeZone: 'UTC' })
const moment = new Intl.DateTimeFormat('en-GB', { dateStyle: 'medium', timeStyle: 'short' })

export const longDay = (day: string | null | undefined) => (day ? long.format(new Date(day)) : 'no day yet')
export const mediumDay = (day: string | null | undefined) => (day ? medium.format(new Date(day)) : 'no day')
export const when = (at: string) => moment.format(new Date(at))
export const today = () => {
  const now = new Date()
  return new Date(now.getTime() - now.getTimezoneOffset() * 60_000).toISOString().slice(0, 10)
}
