/** Who is here, and what they may; what they left as they last saw it. */
import { api, got, onSignedOut, type Schemas } from './client'

type Me = Schemas['Me']
const nobody: Me = {
  signs_in: true,
  signed_in: false,
  any_owner: true,
  elsewhere: false,
  id: '',
  name: '',
  mail: '',
  role: '',
  teams: [],
  verbs: [],
  second: false,
  codes_left: 0,
  some_rows: false,
}
let me = $state.raw<Me | null>(null)

/** Null until it is known. */
export const known = () => me
/** Whether one may do something at all: read, note, mark, make, own. */
export const may = (verb: string) => me?.verbs.includes(verb) ?? false

onSignedOut(() => {
  if (me?.signs_in !== false) me = nobody
})

const BEFORE = 'author' // what one was called, as earlier versions kept it in the browser
const KEPT = ['pins', 'front-looked', 'front-seen', 'present-turn', 'bench-height', 'mode', 'zone']

export async function loadMe() {
  let found = await got(api.GET('/api/me'))
  const called = localStorage.getItem(BEFORE)
  if (called && !found.signs_in && !found.name)
    found = await got(api.PATCH('/api/me', { body: { name: called } }))
  localStorage.removeItem(BEFORE)
  if (found.signs_in && found.signed_in) {
    const kept = await got(api.GET('/api/me/kept'))
    // Another person may have sat at this browser before.
    for (const name of KEPT) localStorage.removeItem(name)
    for (const name of KEPT) if (typeof kept[name] === 'string') localStorage.setItem(name, kept[name])
  }
  me = found
}

export async function rename(name: string) {
  me = await got(api.PATCH('/api/me', { body: { name } }))
}

export async function signOut() {
  await got(api.POST('/api/sign-out'))
  for (const name of KEPT) localStorage.removeItem(name)
  location.hash = '#/'
  location.reload()
}

const waiting = new Map<string, ReturnType<typeof setTimeout>>()

/** Keep something as one left it: in this browser, and with one's account where there is one. */
export function keep(name: string, value: string) {
  localStorage.setItem(name, value)
  if (!me?.signs_in || !me.signed_in) return
  clearTimeout(waiting.get(name))
  waiting.set(
    name,
    setTimeout(() => {
      got(api.PUT('/api/me/kept/{name}', { params: { path: { name } }, body: { value } })).catch(
        () => undefined, // it is in this browser
      )
    }, 600),
  )
}
