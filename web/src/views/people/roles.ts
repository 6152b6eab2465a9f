/** Roles and whom something is opened to, in words. */
import type { Schemas } from '../../api/client'

export type Role = Schemas['PersonOut']['role']
export const ROLES: { key: Role; name: string; note: string }[] = [
  { key: 'reader', name: 'reader', note: 'Reads what is opened to them, and writes notes where they may.' },
  { key: 'keeper', name: 'keeper of marks', note: 'Keeps the mark book of chosen KPIs.' },
  { key: 'analyst', name: 'analyst', note: 'Makes scorecards, KPIs, yardsticks and data.' },
  { key: 'owner', name: 'owner', note: 'May do everything, and says who may do what.' },
]
export const roleName = (key: string) => ROLES.find((role) => role.key === key)?.name ?? key

/** Whom something can be opened to. */
export function subjects(people: Schemas['PeopleOut']) {
  return [
    { key: 'everyone', name: 'everyone who signs in' },
    { key: 'makers', name: 'the analysts' },
    ...people.teams.map((team) => ({ key: `team:${team.id}`, name: team.name, note: 'a team' })),
    ...people.people.map((one) => ({ key: `person:${one.id}`, name: one.name, note: roleName(one.role) })),
  ]
}

/** Some of them as one would say it. */
export function named(keys: string[], people: Schemas['PeopleOut'], nobody = 'owners alone') {
  const every = subjects(people)
  const words = keys.map((key) => every.find((one) => one.key === key)?.name ?? 'somebody who is gone')
  if (!words.length) return nobody
  return words.length > 1 ? `${words.slice(0, -1).join(', ')} and ${words.at(-1)}` : words[0]!
}
