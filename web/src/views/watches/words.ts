/** What a watch says of itself where its sentence has no room. */
import { DAYS } from '../data/clock'
import type { Body, Choices } from './draft.svelte'

export const GRAINS: Record<string, string> = {
  day: 'the complete day',
  week: 'the complete week',
  month: 'the complete month',
  quarter: 'the complete quarter',
  year: 'the complete year',
}
const includes = (asks: string | undefined, some: string[]) => some.includes(asks ?? '')
export const needsState = (asks?: string) => includes(asks, ['falls', 'reaches', 'leaves', 'outlook'])
export const needsMark = (asks?: string) => includes(asks, ['above', 'below', 'unmarked'])

/** The question in words: ``falls to Short``. */
export function askedWords(body: Body, choices: Choices | null): string {
  const words = choices?.questions.find((one) => one.key === body.asks)?.name ?? body.asks ?? ''
  const state = choices?.states.find((one) => one.key === body.state)?.name
  if (state && needsState(body.asks)) return `${words} ${state}`
  if (body.mark && needsMark(body.asks)) return `${words} ${body.mark}`
  if (body.asks === 'signal' && body.side) return `${words} for the ${body.side}`
  return words
}

/** What it is called while nobody has given it a name. */
export function calledWords(body: Body, choices: Choices | null): string {
  const of = body.kpi
    ? choices?.kpis.find((one) => one.key === body.kpi)?.name
    : choices?.scorecards.find((one) => one.key === body.scorecard)?.name
  return `${of ?? 'It'} ${askedWords(body, choices)}`.slice(0, 120)
}

export function whenWords(body: Body): string {
  if (body.when === 'daily') return `in one message a day, at ${body.at || '07:00'}`
  if (body.when === 'weekly') return `in one message a week, on ${DAYS[body.weekday ?? 0]} at ${body.at}`
  return body.quiet_from ? `at once, outside ${body.quiet_from}–${body.quiet_to}` : 'at once'
}

export function lastsWords(body: Body): string {
  const parts = []
  if ((body.stays ?? 1) > 1) parts.push(`stays for ${body.stays} readings`)
  if (body.minutes)
    parts.push(`lasts ${body.minutes % 60 ? `${body.minutes} minutes` : `${body.minutes / 60} hours`}`)
  return parts.join(' and ') || 'counts at once'
}

/** What has to happen before it counts again. */
export function againWords(body: Body, choices: Choices | null): string {
  const parts = []
  if (body.back) {
    const size = Number((body.back * (choices?.scale ?? 1)).toPrecision(6))
    const unit = size === 1 && choices?.margin === 'points' ? 'point' : (choices?.margin ?? '')
    parts.push(`${size} ${unit} back over the cut`.replace('  ', ' '))
  }
  if (body.rest) parts.push(`${body.rest} readings back`)
  return parts.join(' or ') || 'any reading that is back'
}
