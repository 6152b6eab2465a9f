import type { Instrument, Picture } from '../api/client'

/** Whether a picture lists members, even a single one, rather than one reading of all together. */
export const lists = (picture: Picture) => picture.readings.length > 1 || picture.readings[0]?.member != null

export const FACES: { key: Instrument['face']; name: string; phrase: string; many: boolean }[] = [
  { key: 'dial', name: 'Dial', phrase: 'a dial', many: false },
  { key: 'bullet', name: 'Bullet', phrase: 'a bullet', many: true },
  { key: 'bar', name: 'Bar', phrase: 'a bar of progress', many: true },
  { key: 'lamp', name: 'Lamp', phrase: 'a lamp', many: true },
  { key: 'chip', name: 'Chip', phrase: 'a chip', many: true },
]

export const phrase = (face: string) => FACES.find((known) => known.key === face)?.phrase ?? face
