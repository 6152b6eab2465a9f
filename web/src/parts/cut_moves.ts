/** Cuts of a strip on their way: each step goes on from the one before, whether or not the server has answered. */
import { newest, words, type Schemas, type Strip, type YardstickBody } from '../api/client'
import { changedCuts, marksBy } from '../api/cuts'

/** A cut on its way: the yardstick it set out from, and the value it has come to. */
interface Going {
  at: number
  from: YardstickBody
  to: number
}
interface Told {
  strip: () => Strip
  /** The yardstick as it is shown, which may be one that is tried. */
  body: () => YardstickBody
  draft: (body: YardstickBody) => void
  keep: (body: YardstickBody, says: string) => unknown
  /** Why it could not be moved; empty once it could. */
  failed: (why: string) => void
}

export function cutMoves({ strip, body, draft, keep, failed }: Told) {
  let going: Going | null = null
  /** One that was let go, until it is kept. */
  let left: (Going & { came: YardstickBody | null }) | null = null

  async function changed(how: Schemas['CutChange']['how'], at: number, to: number, from = body()) {
    const asked = {
      body: from,
      how,
      at,
      to,
      marks: marksBy(strip().cuts.map((cut) => ({ name: cut.mark, value: cut.mark_value }))),
      scale: strip().scale,
    }
    try {
      const found = await changedCuts(asked)
      failed('')
      return found
    } catch (error) {
      failed(words(error))
      return null
    }
  }
  const attempt = newest(async () => {
    const now = going
    if (!now) return
    const next = await changed('move', now.at, now.to, now.from)
    if (going && next) draft(next)
  })
  const before = (at: number) => (going?.at === at ? going : left?.at === at ? left : null)

  return {
    async change(how: Schemas['CutChange']['how'], at: number, to: number, says: string) {
      const next = await changed(how, at, to)
      if (next) await keep(next, says)
    },
    isGoing: () => going !== null,
    /** Where a cut is, also where it is only on its way. */
    valueOf: (at: number) => before(at)?.to ?? strip().cuts[at]?.value ?? null,
    go(at: number, to: number, fine = false) {
      const { cuts, step } = strip()
      const [least, most] = [cuts[at - 1]?.value ?? -Infinity, cuts[at + 1]?.value ?? Infinity]
      going = {
        at,
        from: before(at)?.from ?? left?.came ?? body(),
        to: Math.min(Math.max(fine ? to : Math.round(to / step) * step, least), most),
      }
      void attempt()
    },
    async letGo() {
      if (!going) return
      const mine = (left = { ...going, came: null as YardstickBody | null })
      going = null
      attempt.stop()
      mine.came = await changed('move', mine.at, mine.to, mine.from)
      const goesOn = left !== mine && left?.at === mine.at // what is kept then holds this too
      if (mine.came && !goesOn) await keep(mine.came, 'move a cut')
      if (left === mine) left = null
    },
  }
}
