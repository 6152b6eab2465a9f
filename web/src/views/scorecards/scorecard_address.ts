/** How a scorecard is read, as it stands in the address: its period, members, assumptions, and what is open. */
import type { Scope } from '../../api/client'
import { GRAINS } from '../../api/periods'

/** What else stands in the address; no column is called so. */
const OWN = ['-lit', '-reading', '-turned', '-write']

/** The part of an address that says what is read, which stays the same while anything else changes. */
export const scopedPart = (query: URLSearchParams) =>
  new URLSearchParams([...query].filter(([name]) => !OWN.includes(name))).toString()

/** The scope that an address names; null for the scorecard's own. scoped: see ``scopedPart``. */
export function scopeIn(scoped: string): Scope | null {
  const query = new URLSearchParams(scoped)
  query.delete('assume')
  if (!query.size) return null
  const members: Record<string, string[]> = {}
  for (const [name, member] of query)
    if (!['period', 'grain'].includes(name)) (members[name] ??= []).push(member)
  const grain = GRAINS.find((known) => known === query.get('grain')) ?? 'month'
  return { period: query.get('period') ?? 'complete', grain, members, assume: {} }
}

/** The assumptions that an address names, by key. known: to find them by the handle that somebody wrote; asked for only
 * where there are some, so that what is read next does not ask anew. */
export function assumedIn(
  scoped: string,
  known: () => { key: string; handle: string }[],
): Record<string, number> {
  const found = new URLSearchParams(scoped).getAll('assume').map((text): [string, number] => {
    const at = text.lastIndexOf(':')
    const name = text.slice(0, at)
    const key = known().find((one) => one.handle === name)?.key ?? name
    return [key, Number(text.slice(at + 1))]
  })
  return Object.fromEntries(found.filter(([, value]) => Number.isFinite(value)))
}

interface Place {
  id: string
  scope: Scope | null
  /** The bench or the wall; without it the page. */
  how: '' | 'bench' | 'present'
  lit: string
  turned: string[]
  assume: Record<string, number>
}

export function addressOf({ id, scope, how, lit, turned, assume }: Place): string {
  const query = new URLSearchParams(
    scope ? { period: scope.period ?? 'complete', grain: scope.grain ?? 'month' } : {},
  )
  for (const [name, members] of Object.entries(scope?.members ?? {}))
    for (const member of members) query.append(name, member)
  if (lit && !how) query.append('-lit', lit)
  if (turned.length && !how) query.append('-turned', turned.join())
  for (const [key, value] of how === 'present' ? [] : Object.entries(assume))
    query.append('assume', `${key}:${value}`)
  return `/scorecards/${id}${how ? `/${how}` : ''}${query.size ? `?${query}` : ''}`
}
