/** When somebody last looked at the front page, and which scorecards they pinned. */
import { keep } from '../../api/me.svelte'

const AGAIN_MS = 30 * 60_000 // who comes back within half an hour is still looking

const read = (key: string) => localStorage.getItem(key) ?? ''

/** The last look before this one, "" for none; this one is noted. */
export function lookedBefore(now: Date): string {
  const seen = read('front-seen')
  if (seen && now.getTime() - new Date(seen).getTime() > AGAIN_MS) keep('front-looked', seen)
  keep('front-seen', now.toISOString())
  return read('front-looked')
}

export const pins = {
  get: (): string[] => {
    try {
      const held = JSON.parse(read('pins') || '[]') as unknown
      return Array.isArray(held) ? held.filter((one) => typeof one === 'string').slice(0, 100) : []
    } catch {
      return []
    }
  },
  set: (held: string[]) => keep('pins', JSON.stringify(held)),
}

/** A moment as one would say it: today, yesterday, Monday, 3 days ago. */
export function ago(at: string, now: Date, locale: string): { title: string; words: string } {
  const then = new Date(at)
  const midnight = (day: Date) => new Date(day.getFullYear(), day.getMonth(), day.getDate()).getTime()
  const days = Math.round((midnight(now) - midnight(then)) / 86_400_000)
  if (days <= 0) return { title: 'Since earlier today', words: 'earlier today' }
  if (days === 1) return { title: 'Since yesterday', words: 'yesterday' }
  const weekday = then.toLocaleDateString(locale, { weekday: 'long' })
  if (days < 7) return { title: `Since ${weekday}`, words: `${days} days ago` }
  const date = then.toLocaleDateString(locale, { day: 'numeric', month: 'long' })
  return { title: `Since ${date}`, words: `on ${date}` }
}
