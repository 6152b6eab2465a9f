import type { Instrument } from '../api/client'

export const FACES: { key: Instrument['face']; name: string; phrase: string; many: boolean }[] = [
  { key: 'dial', name: 'Dial', phrase: 'a dial', many: false },
  { key: 'bullet', name: 'Bullet', phrase: 'a bullet', many: true },
  { key: 'bar', name: 'Bar', phrase: 'a bar of progress', many: true },
  { key: 'lamp', name: 'Lamp', phrase: 'a lamp', many: true },
  { key: 'chip', name: 'Chip', phrase: 'a chip', many: true },
]

export const phrase = (face: string) => FACES.find((known) => known.key === face)?.phrase ?? face
