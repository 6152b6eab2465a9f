/** Numbers as somebody typed them: what they mean is said by the server, as the organisation writes numbers. */
import { api, got, type Schemas } from './client'
import { writtenAs } from './numbers'

const MOST_HELD = 500
const held = new Map<string, Promise<Schemas['Understood']>>()

/** What a text means as a number, or as a percent (70, 70% and 0.7 are the same). */
export function understoodAs(text: string, kind: 'number' | 'percent'): Promise<Schemas['Understood']> {
  const asked = `${writtenAs()} ${kind} ${text.trim()}`
  let answer = held.get(asked)
  if (!answer) {
    const unit = { kind, decimals: 0, currency: 'GBP', text: '', compact: false, sign: false }
    answer = got(api.POST('/api/kpis/understand', { body: { text, unit } as Schemas['UnderstandAsk'] }))
    answer.catch(() => held.delete(asked)) // the server was away: it is asked again
    if (held.size >= MOST_HELD) held.clear()
    held.set(asked, answer)
  }
  return answer
}

/** The number that was typed. Throws what is wrong with it, in words. */
export async function typedNumber(text: string, kind: 'number' | 'percent' = 'number'): Promise<number> {
  const { value, problem } = await understoodAs(text, kind)
  if (value === null || problem) throw new Error(problem || `“${text}” is no number.`)
  return value
}
