/** The names marks have, as the server tells them. */
import { api, got, insisted } from './client'

let names = $state.raw<string[]>([])

export async function loadMarkNames() {
  names = await insisted(() => got(api.GET('/api/mark-names')))
}

/** Those that are offered, with others that are in use already. */
export const markNames = (...used: (string | null | undefined)[]) => [
  ...new Set([...names, ...used.filter((name) => name != null)]),
]
