/** Changes to what stands on a scorecard: instruments and sections put on, moved and taken off. */
import {
  api,
  got,
  type CardBody,
  type Kpi,
  type PictureBody,
  type Section,
  type Text,
  type Yardstick,
} from '../../api/client'
import { place, settle, stand, standing } from './layout'
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

export function remove(session: Session, id: string) {
  session.change('delete a sheet', (draft) => {
    for (const section of draft.sections ?? [])
      stand(section, settle(standing(section).filter((held) => held.id !== id)))
  })
}

/** Put an empty text or picture on the page. Returns its id. */
export function addWords(session: Session, sectionId: string, kind: 'text' | 'picture'): string {
  const id = fresh()
  session.change(`add a ${kind}`, (draft) => {
    const section = draft.sections?.find((held) => held.id === sectionId)
    if (!section) return
    if (kind === 'text')
      section.texts = [
        ...(section.texts ?? []),
        { id, text: '', w: 6, h: 4, ...place(standing(section), 6, 4) },
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

/** Move an instrument to the section before or after its own. */
export function carry(session: Session, id: string, way: -1 | 1) {
  session.change('move to another section', (draft) => {
    const sections = draft.sections ?? []
    const from = sections.findIndex((section) => standing(section).some((held) => held.id === id))
    const to = sections[from + way]
    const item = sections[from] && standing(sections[from]).find((held) => held.id === id)
    if (!to || !item) return
    stand(sections[from]!, settle(standing(sections[from]!).filter((held) => held.id !== id)))
    stand(to, settle([...standing(to), { ...item, ...place(standing(to), item.w, item.h) }]))
  })
}

export function addSection(session: Session) {
  session.change('add a section', (draft) => {
    draft.sections = [
      ...(draft.sections ?? []),
      { id: fresh(), title: 'New section', instruments: [], texts: [], pictures: [] },
    ]
  })
}

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

export function removeSection(session: Session, id: string) {
  session.change('delete a section', (draft) => {
    draft.sections = draft.sections?.filter((section) => section.id !== id)
  })
}
