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
