/** Cuts as they are moved: what a yardstick comes to by it is the server's to say. */
import { api, got, type Schemas, type YardstickBody } from './client'

export const changedCuts = (change: Schemas['CutChange']): Promise<YardstickBody> =>
  got(api.POST('/api/yardsticks/cuts', { body: change }))

/** What the marks come to that cuts rest on, by their names. */
export const marksBy = (found: { name: string | null; value: number | null }[]): Record<string, number> =>
  Object.fromEntries(
    found.flatMap(({ name, value }) => (name === null || value === null ? [] : [[name, value] as const])),
  )
