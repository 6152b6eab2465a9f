/**
 * What was typed and not kept yet, by what it is about. It stands there again after Escape, Back, another choice or a
 * reload of this tab, until it is kept or dropped.
 */
import { SvelteMap } from 'svelte/reactivity'

interface Draft {
  /** The version it was begun from: one that is newer is not overwritten without a word. */
  version: number
  value: unknown
}
const PLACE = 'draft:'
const drafts = new SvelteMap<string, Draft>()
for (const key of Object.keys(sessionStorage).filter((one) => one.startsWith(PLACE))) {
  try {
    drafts.set(key.slice(PLACE.length), JSON.parse(sessionStorage.getItem(key)!) as Draft)
  } catch {
    sessionStorage.removeItem(key) // not written by us
  }
}

export const draftOf = <T>(about: string) => drafts.get(about) as { version: number; value: T } | undefined

export function keepDraft(about: string, version: number, value: unknown) {
  drafts.set(about, { version, value })
  try {
    sessionStorage.setItem(PLACE + about, JSON.stringify({ version, value }))
  } catch {
    // No room: it stands until the page is left.
  }
}

export function dropDraft(about: string) {
  drafts.delete(about)
  sessionStorage.removeItem(PLACE + about)
}
