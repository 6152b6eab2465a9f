/** How names are compared where something is looked for: without case, accents, and letters few keyboards have. */
const LETTERS: Record<string, string> = {
  ß: 'ss',
  æ: 'ae',
  œ: 'oe',
  ø: 'o',
  ł: 'l',
  đ: 'd',
  ð: 'd',
  þ: 'th',
  ı: 'i',
}

export const folded = (text: string) =>
  text
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[ßæœøłđðþı]/g, (letter) => LETTERS[letter]!)

/** Whether a name has what was typed in it. */
export const has = (name: string, typed: string) => folded(name).includes(folded(typed))
