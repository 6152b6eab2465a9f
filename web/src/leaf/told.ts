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

export interface Told {
  mode: 'read' | 'paper' | 'slides' | 'picture'
  paper: Paper
  /** The only instrument that is drawn, on a picture. */
  instrument: string | null
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
