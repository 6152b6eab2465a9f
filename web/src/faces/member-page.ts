/** A page that can be read for one member: faces ask how, where they stand on such a page. */
import { getContext, setContext } from 'svelte'
import type { Picture, Reading } from '../api/client'

export interface Whole {
  name: string
  read: () => void
}
type Find = (picture: Picture, reading: Reading) => Whole | undefined

export const letMembersBeRead = (find: Find) => setContext('whole', find)
/** To be called while a component is set up. */
export const memberPages = (): Find => getContext<Find | undefined>('whole') ?? (() => undefined)
