/** Changes to what stands on a scorecard: instruments and sections put on, moved and taken off. */
import {
  api,
  got,
  type CardBody,
  type Kpi,
  type PictureBody,
  type Placed,
  type Section,
  type Text,
  type Yardstick,
} from '../../api/client'
import { place, settle, snapped, stand, standing } from '../../parts/page/layout'
import type { Session } from './session.svelte'

const fresh = () =>
  crypto.getRandomValues(new Uint32Array(2)).reduce((text, part) => text + part.toString(36), 'n')

/** The yardstick a KPI is usually read by; one is proposed and kept where it has none. */
export async function yardstickOf(kpi: Kpi, known: Yardstick[]): Promise<Yardstick> {
  const held = known.find((one) => one.body.kpi === kpi.id)
  if (held) return held
  const asked = { kpi: kpi.id, by: null, name: `${kpi.body.name} yardstick` }
  const body = await got(api.POST('/api/yardsticks/propose', { body: asked }))
  return await got(api.POST('/api/yardsticks', { body }))
}

/** Put a KPI on the page. Returns the new instrument's id. */
export async function add(
  session: Session,
  sectionId: string,
  kpi: Kpi,
  yardstick: Yardstick,
): Promise<string> {
  const id = fresh()
  const made = await got(
    api.POST('/api/scorecards/instrument', { body: { id, kpi: kpi.id, yardstick: yardstick.id } }),
  )
  session.change('add an instrument', (draft) => {
    const section = draft.sections?.find((held) => held.id === sectionId)
    if (!section) return
    section.instruments = [
      ...(section.instruments ?? []),
      { ...made, ...place(standing(section), made.w, made.h) },
    ]
  })
  return id
}

/** Put an empty text or picture on the page. Returns its id. */
export function addWords(session: Session, sectionId: string, kind: 'text' | 'picture' | 'notes'): string {
  const id = fresh()
  session.change(kind === 'notes' ? 'add the notes' : `add a ${kind}`, (draft) => {
    const section = draft.sections?.find((held) => held.id === sectionId)
    if (!section) return
    if (kind !== 'picture')
      section.texts = [
        ...(section.texts ?? []),
        {
          id,
          text: '',
          lists: kind === 'notes' ? 'notes' : '',
          w: 6,
          h: 5,
          ...place(standing(section), 6, 5),
        },
      ]
    else
      section.pictures = [
        ...(section.pictures ?? []),
        { id, image: null, alt: '', fit: 'whole', w: 3, h: 5, ...place(standing(section), 3, 5) },
      ]
  })
  return id
}

/** Change a text or a picture. */
export function changeWords<T extends Text | PictureBody>(session: Session, id: string, edit: Partial<T>) {
  session.change('change a sheet', (draft) => {
    for (const section of draft.sections ?? [])
      stand(
        section,
        standing(section).map((held) => (held.id === id ? { ...held, ...edit } : held)),
      )
  })
}

/** Returns the copy's id. */
export function duplicate(session: Session, id: string): string {
  const copied = fresh()
  session.change('copy a sheet', (draft) => {
    for (const section of draft.sections ?? []) {
      const every = standing(section)
      const held = every.find((known) => known.id === id)
      if (held) stand(section, [...every, { ...held, id: copied, ...place(every, held.w, held.h) }])
    }
  })
  return copied
}

/** Take several sheets off. name: of the only one. */
export function removeAll(session: Session, ids: string[], name: string) {
  session.change(`delete ${ids.length > 1 ? `${ids.length} sheets` : name}`, (draft) => {
    for (const section of draft.sections ?? []) {
      const left = standing(section).filter((held) => !ids.includes(held.id))
      if (left.length < standing(section).length) stand(section, settle(left))
    }
  })
}

/** Move sheets to another section, to where they were let go or the first free place. */
export function carryTo(session: Session, ids: string[], to: string, at?: { x: number; y: number }) {
  session.change('move to another section', (draft) => {
    const sections = draft.sections ?? []
    const target = sections.find((section) => section.id === to)
    if (!target) return
    const moved = sections.flatMap((section) => standing(section).filter((held) => ids.includes(held.id)))
    for (const section of sections)
      if (standing(section).some((held) => ids.includes(held.id)))
        stand(section, settle(standing(section).filter((held) => !ids.includes(held.id))))
    let items = standing(target)
    for (const [n, item] of moved.entries()) {
      const free = at && !n ? at : place(items, item.w, item.h)
      const put = snapped({ ...item, ...free }, target.columns)
      items = settle([...items, put], put)
    }
    stand(target, items)
  })
}

/** Move sheets to the section before or after their own. */
export function carry(session: Session, ids: string[], way: -1 | 1) {
  const sections = session.body?.sections ?? []
  const from = sections.findIndex((section) => standing(section).some((held) => ids.includes(held.id)))
  const to = sections[from + way]
  if (from >= 0 && to) carryTo(session, ids, to.id)
}

/** Put copies of sheets on, of this scorecard or another one. Returns their ids. */
export function paste(session: Session, sectionId: string, items: Placed[]): string[] {
  const ids = items.map(fresh)
  session.change(items.length > 1 ? `paste ${items.length} sheets` : 'paste a sheet', (draft) => {
    const section = draft.sections?.find((held) => held.id === sectionId)
    if (!section) return
    let every = standing(section)
    for (const [n, item] of items.entries()) {
      const put = { ...item, id: ids[n]!, ...place(every, item.w, item.h) }
      every = [...every, put]
    }
    stand(section, every)
  })
  return ids
}

/** Have a section's sheets keep to so many columns of one width; 0 for the twelve of the grid. */
export function setColumns(session: Session, id: string, columns: number) {
  changeSection(session, id, 'change its columns', (section) => {
    section.columns = columns
    if (columns) stand(section, packed(standing(section), columns))
  })
}

/** Close the gaps of a section, its sheets in the order they are read in. */
export const tidyUp = (session: Session, id: string) =>
  changeSection(session, id, 'tidy up', (section) =>
    stand(section, packed(standing(section), section.columns)),
  )

function packed(items: Placed[], columns = 0): Placed[] {
  const done: Placed[] = []
  for (const item of [...items].sort((a, b) => a.y - b.y || a.x - b.x)) {
    const sized = snapped(item, columns)
    done.push({ ...sized, ...place(done, sized.w, sized.h) })
  }
  return items.map((item) => done.find((held) => held.id === item.id)!)
}

/** Put a copy of a section under it. */
export function copySection(session: Session, id: string) {
  session.change('copy a section', (draft) => {
    const sections = draft.sections ?? []
    const at = sections.findIndex((section) => section.id === id)
    const held = sections[at]
    if (!held) return
    const made = { ...held, id: fresh(), title: `${held.title} (copy)`.slice(0, 120) }
    stand(
      made,
      standing(held).map((item) => ({ ...item, id: fresh() })),
    )
    sections.splice(at + 1, 0, made)
  })
}

/** Have a section stand where another one does. */
export function placeSection(session: Session, id: string, before: string) {
  if (id === before) return
  session.change('move a section', (draft) => {
    const sections = draft.sections ?? []
    const from = sections.findIndex((section) => section.id === id)
    const to = sections.findIndex((section) => section.id === before)
    const [held] = from >= 0 && to >= 0 ? sections.splice(from, 1) : []
    if (held) sections.splice(to, 0, held)
  })
}

export function addSection(session: Session) {
  session.change('add a section', (draft) => {
    draft.sections = [...(draft.sections ?? []), emptySection('New section')]
  })
}

export const emptySection = (title: string): Section => ({
  id: fresh(),
  title,
  columns: 0,
  folded: false,
  instruments: [],
  texts: [],
  pictures: [],
})

/** A scorecard with one empty section. */
export const emptyCard = (title: string): CardBody => ({
  title,
  scope: { period: 'complete', grain: 'month', members: {}, assume: {} },
  sections: [emptySection('First section')],
  folder: '',
  owner: '',
  asks: { worst: false, fell: false, signals: false, readings: [] },
  notes_at_end: true,
})

export function changeSection(session: Session, id: string, says: string, make: (section: Section) => void) {
  session.change(says, (draft) => {
    const held = draft.sections?.find((section) => section.id === id)
    if (held) make(held)
  })
}

export function moveSection(session: Session, id: string, way: -1 | 1) {
  session.change('move a section', (draft: CardBody) => {
    const sections = draft.sections ?? []
    const at = sections.findIndex((section) => section.id === id)
    const [held] = at >= 0 ? sections.splice(at, 1) : []
    if (held) sections.splice(at + way, 0, held)
  })
}

export function removeSection(session: Session, id: string, name: string) {
  session.change(`delete ${name}`, (draft) => {
    draft.sections = draft.sections?.filter((section) => section.id !== id)
  })
}
