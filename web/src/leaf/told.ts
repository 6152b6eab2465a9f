/** What a leaf is told: a page that stands alone, with everything it is drawn from. */
import type { CardBody, CardPicture, Schemas, Workings } from '../api/client'
import type { Paper } from './paper'

export interface About {
  number: string
  state: 'draft' | 'published' | 'withdrawn'
  note: string
  words: string
  why: string
}

/** Which part of a page it is, where that is printed in several. */
export interface Part {
  first: boolean
  last: boolean
  /** The section that was begun in the part before. */
  on: string | null
  /** The list whose further readings come in the next part. */
  open: string | null
  /** Of lists that come in parts: how many readings stood before, and how many there are. */
  from: Record<string, number>
  of: Record<string, number>
  wide: CardPicture['instruments'][number]['readings']
}

export interface Told {
  mode: 'read' | 'paper' | 'slides' | 'picture'
  paper: Paper
  /** The only instrument that is drawn, on a picture. */
  instrument: string | null
  part: Part
  /** The forms it can be taken out in where it is read. */
  takes: string[]
  /** What a file of it is called: title, period and edition. */
  name: string
  title: string
  heading: string
  through: string
  edition: About | null
  body: CardBody
  picture: CardPicture
  palettes: Schemas['PaletteLook'][]
  faces: Schemas['Face'][]
  colours: Schemas['Colours']
  locale: string
  images: Record<string, string>
  workings: Record<string, Record<string, Workings>>
}

/** Whether the notes of a page stand at its end: where no sheet of it lists them. */
export const notesAtEnd = (told: Told) =>
  told.mode !== 'slides' &&
  told.picture.notes.length > 0 &&
  told.body.notes_at_end !== false &&
  !(told.body.sections ?? []).some((section) => section.texts?.some((text) => text.lists))
