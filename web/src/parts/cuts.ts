/** Cuts as they are moved: a factor of a mark stays a factor, an offset an offset. */
import type { Cut, YardstickBody } from '../api/client'

export const tidy = (number: number) => Number(number.toPrecision(12))

/** What a cut comes to in a yardstick that is tried, before the server says it; null where its mark is not known. */
export function valueOf(cut: Cut | undefined, mark: number | null | undefined, scale: number): number | null {
  if (!cut) return null
  const offset = (cut.offset ?? 0) * scale
  if (!cut.mark) return offset
  return mark === null || mark === undefined ? null : (cut.factor ?? 1) * mark + offset
}

/** The yardstick with one cut at another value; mark: what its mark comes to; scale: what plain numbers are times. */
export function moved(
  body: YardstickBody,
  at: number,
  to: number,
  mark: number | null | undefined,
  scale: number,
): YardstickBody {
  const cuts = body.cuts.map((cut, i): Cut => {
    if (i !== at) return { ...cut }
    if (!cut.mark || mark === null || mark === undefined) return { ...cut, offset: tidy(to / scale) }
    if (!cut.offset && cut.factor !== 1 && mark !== 0)
      return { ...cut, factor: Number((to / mark).toFixed(4)) }
    return { ...cut, offset: tidy((to - cut.factor! * mark) / scale) }
  })
  return { ...body, cuts }
}
