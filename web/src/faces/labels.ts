/** Labels that never overlap: each is kept only where it touches none of those that go before it. */
export interface Label {
  text: string
  x: number
  y: number
  anchor: 'start' | 'middle' | 'end'
  size: number
  /** Where the text is too long for one line: the first stands at ``y``. */
  lines?: string[]
  /** Other places to try, before it yields. */
  others?: { x: number; y: number; anchor: Label['anchor'] }[]
}
export interface Box {
  left: number
  top: number
  right: number
  bottom: number
}

/** About how wide a text is set, in the unit of its size. */
export const widthOf = (text: string, size: number) =>
  [...text].reduce(
    (sum, sign) => sum + (/[ilj.,:;'’|! ]/.test(sign) ? 0.32 : /[mwMW%£€@]/.test(sign) ? 0.88 : 0.57),
    0,
  ) * size

/** How far lines stand below each other, in the unit of their size. */
export const LINE = 1.16

export function boxOf({ text, lines, x, y, anchor, size }: Label): Box {
  const width = Math.max(...(lines ?? [text]).map((line) => widthOf(line, size)))
  const below = ((lines?.length ?? 1) - 1) * LINE * size
  const left = anchor === 'start' ? x : anchor === 'end' ? x - width : x - width / 2
  return { left: left - 1, right: left + width + 1, top: y - size * 0.85, bottom: y + below + size * 0.3 }
}

export const touch = (one: Box, other: Box) =>
  one.left < other.right && other.left < one.right && one.top < other.bottom && other.top < one.bottom

/** The labels that find room, in the order given, clear of each other and of the boxes already taken. */
export function clear(labels: Label[], taken: Box[] = [], within?: Box): Label[] {
  const boxes = [...taken]
  const kept: Label[] = []
  for (const label of labels) {
    for (const place of [label, ...(label.others ?? []).map((other) => ({ ...label, ...other }))]) {
      const box = boxOf(place)
      const inside =
        !within ||
        (box.left >= within.left &&
          box.right <= within.right &&
          box.top >= within.top &&
          box.bottom <= within.bottom)
      if (!inside || boxes.some((other) => touch(box, other))) continue
      boxes.push(box)
      kept.push(place)
      break
    }
  }
  return kept
}

/** A text on as many lines as it needs, each at most so wide; a single word that is wider stands alone. */
export function broken(text: string, size: number, room: number): string[] {
  const lines: string[] = []
  for (const word of text.split(' ')) {
    const last = lines.at(-1)
    if (last !== undefined && widthOf(`${last} ${word}`, size) <= room)
      lines[lines.length - 1] = `${last} ${word}`
    else lines.push(word)
  }
  return lines
}

/** A text cut to fit so many characters, with an ellipsis for what is left out. */
export const shortened = (text: string, most: number) =>
  [...text].length <= most ? text : `${[...text].slice(0, Math.max(1, most - 1)).join('')}…`
