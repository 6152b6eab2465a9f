/** What was changed here while a save was under way, on top of what came back from it. */
import { dequal } from 'dequal'
import type { CardBody, Placed, Section } from '../../api/client'

const KINDS = ['instruments', 'texts', 'pictures'] as const
const sheets = (body: CardBody) =>
  new Map(
    (body.sections ?? []).flatMap((section) =>
      KINDS.flatMap((kind) =>
        (section[kind] ?? []).map((sheet) => [sheet.id, { section: section.id, kind, sheet }] as const),
      ),
    ),
  )

/** sent: what was saved; local: what stands here by now; served: what came back, with changes of others. */
export function rebased(sent: CardBody, local: CardBody, served: CardBody): CardBody {
  const [before, now] = [sheets(sent), sheets(local)]
  const top = Object.fromEntries(
    Object.entries(local).filter(
      ([name, value]) => name !== 'sections' && !dequal(value, sent[name as keyof CardBody]),
    ),
  )
  const made = (local.sections ?? []).filter(
    (one) =>
      !(sent.sections ?? []).some((old) => old.id === one.id) &&
      !served.sections?.some((s) => s.id === one.id),
  )
  const sections = [...(served.sections ?? []), ...made].map((section): Section => {
    const own = local.sections?.find((one) => one.id === section.id)
    const old = sent.sections?.find((one) => one.id === section.id)
    const head =
      own && old && !dequal([own.title, own.columns, own.folded], [old.title, old.columns, old.folded])
    const next: Section = head
      ? { ...section, title: own.title, columns: own.columns, folded: own.folded }
      : section
    for (const kind of KINDS) {
      const kept = ((section[kind] ?? []) as Placed[])
        .filter((sheet) => !before.has(sheet.id) || now.get(sheet.id)?.section === section.id)
        .map((sheet) => {
          const mine = now.get(sheet.id)?.sheet
          return mine && !dequal(mine, before.get(sheet.id)?.sheet) ? mine : sheet
        })
      const come = [...now.values()].filter(
        (one) =>
          one.kind === kind &&
          one.section === section.id &&
          before.get(one.sheet.id)?.section !== section.id &&
          !kept.some((sheet) => sheet.id === one.sheet.id),
      )
      next[kind] = [...kept, ...come.map((one) => one.sheet)] as never
    }
    return next
  })
  return { ...served, ...top, sections }
}
