/** The client: typed by the server's OpenAPI, failing with the server's own words. */
import { onDestroy } from 'svelte'
import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

export type Schemas = components['schemas']
export type Instrument = Schemas['InstrumentBody']
export type Text = Schemas['TextBody']
export type PictureBody = Schemas['PictureBody']
/** Whatever stands on a page. */
export type Placed = Instrument | Text | PictureBody
export type Section = Schemas['SectionBody']
export type Scope = Schemas['ScopeBody']
export type CardBody = Schemas['ScorecardBody']
export type CardPicture = Schemas['ScorecardPicture']
export type Picture = Schemas['InstrumentPicture']
export type Reading = Schemas['ReadingPicture']
export type Kpi = Schemas['Kpi']
export type Yardstick = Schemas['Yardstick']
export type YardstickBody = Schemas['YardstickBody']
export type Cut = Schemas['CutBody']
export type Strip = Schemas['Strip']
export type Dataset = Schemas['DatasetOut']
export type Problem = Schemas['Problem']
export type Workings = Schemas['Workings']

export class Refusal extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail)
  }
}

const away: Problem = {
  type: 'no-answer',
  title: 'The server does not answer',
  status: 0,
  detail: 'The server does not answer. What you typed is still here; it is tried again when you go on.',
}

export const api = createClient<paths>({ baseUrl: '' })

let signedOut = () => {}
/** What is done when an answer says that nobody is signed in any more. */
export const onSignedOut = (then: () => void) => (signedOut = then)

type Answer<T> = Promise<{ data?: T; error?: unknown; response: Response }>

/** Wait for an answer; raises Refusal with the problem document where there is one. */
export async function got<T>(answer: Answer<T>): Promise<T> {
  let settled
  try {
    settled = await answer
  } catch {
    throw new Refusal(away)
  }
  if (settled.response.ok) return settled.data as T
  const problem = settled.error as Partial<Problem> | undefined
  if (settled.response.status === 401 && problem?.type === 'sign-in') signedOut()
  throw new Refusal(problem?.detail ? (problem as Problem) : { ...away, status: settled.response.status })
}

export const seen = (version: number) => ({ 'if-match': `"${version}"` })

export const words = (error: unknown) => (error instanceof Error ? error.message : String(error))

/** Whether a live source has only not answered yet, or may again by itself: what reads it is asked again. */
export const passes = (error: unknown) =>
  error instanceof Refusal && error.problem.type === 'live-source' && error.problem.status === 503

/** Do something that may be refused, and say so. say: given the words, and nothing before it is begun. */
export async function attempt(work: () => Promise<unknown>, say: (words: string) => void) {
  say('')
  try {
    await work()
  } catch (error) {
    say(words(error))
  }
}

/** What is called while it runs waits for its turn; each call resolves to its own answer. */
export function inTurn<A extends unknown[], R>(run: (...args: A) => Promise<R>) {
  let last: Promise<unknown> = Promise.resolve()
  return (...args: A): Promise<R> => {
    const answer = last.then(() => run(...args))
    last = answer.catch(() => null)
    return answer
  }
}

const WAITING_MS = 1500

/**
 * Run the newest of many calls: one in flight, and while it runs only the latest waiting one is kept. run: resolves to
 * true where something is still waited for, such as a live source; it is then run once more a while later.
 */
export function newest<A extends unknown[]>(run: (...args: A) => Promise<boolean | void>) {
  let busy = false
  let stopped = false
  let waiting: A | null = null
  let timer: ReturnType<typeof setTimeout> | undefined
  const call = async (...args: A) => {
    stopped = false
    clearTimeout(timer)
    if (busy) {
      waiting = args
      return
    }
    busy = true
    try {
      for (let next: A | null = args; next;) {
        waiting = null
        const again = await run(...next)
        if (again && !waiting && !stopped) timer = setTimeout(call, WAITING_MS, ...next)
        next = waiting
      }
    } finally {
      busy = false
    }
  }
  /** Nothing is waited for any more. */
  call.stop = () => {
    stopped = true
    waiting = null
    clearTimeout(timer)
  }
  try {
    onDestroy(call.stop) // what a component asks for ends with it
  } catch {
    // Made outside of one.
  }
  return call
}

/** Run once calls have rested for so long, with the newest of them; at most one at a time. */
export function settled<A extends unknown[]>(ms: number, run: (...args: A) => Promise<void>) {
  const one = newest(run)
  let timer: ReturnType<typeof setTimeout> | undefined
  return (...args: A) => {
    clearTimeout(timer)
    timer = setTimeout(() => void one(...args), ms)
  }
}

/** Ask until there is an answer: for what the whole page needs, when the server is away as it is opened. */
export async function insisted<T>(ask: () => Promise<T>): Promise<T> {
  for (;;) {
    try {
      return await ask()
    } catch {
      await new Promise((rest) => setTimeout(rest, 2000))
    }
  }
}
