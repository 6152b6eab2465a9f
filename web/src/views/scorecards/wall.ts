/** Sheets laid out anew for a screen of any shape: as large as all of them can be, each about as wide as it is best. */
import type { Picture, Placed, Schemas, Section } from '../../api/client'
import { kindOf, lists } from '../../faces/names.svelte'
import { GAP, isInstrument, isText, standing } from '../../parts/page/layout'

/** The least a sheet needs, in pixels before it is magnified, and how wide it is best for its height. */
export interface Need {
  id: string
  width: number
  height: number
  aspect: number
}
/** A sheet on the screen, in pixels before it is magnified. */
export interface Place {
  id: string
  x: number
  y: number
  width: number
  height: number
}
export interface Screen {
  zoom: number
  places: Place[]
}

const PADDING = 26
const HEAD = 34
const NOTE = 20
const LINE = 30
const MOST_LINES = 14 // of a list; of a longer one the rest is told
const MOST_AT_ONCE = 11 // sheets that are laid out in every way there is

const SINGLE: Record<string, [number, number, number]> = {
  dial: [235, 215, 1.35],
  ring: [200, 215, 1],
  column: [200, 225, 0.95],
  bullet: [250, 130, 2.4],
  bar: [250, 130, 2.4],
  ranked: [250, 130, 2.4],
  pips: [230, 120, 2.4],
  lamp: [215, 125, 1.9],
  tile: [180, 120, 1.6],
  chip: [190, 105, 2],
  figure: [205, 125, 1.6],
  history: [320, 190, 1.8],
  quadrant: [400, 320, 1.3],
  profile: [360, 330, 1.1],
  strip: [320, 120, 3],
}

/** What a sheet needs. text: the picture of a sheet of words. */
export function needOf(item: Placed, picture: Picture | undefined, text?: Schemas['TextPicture']): Need {
  if (isText(item)) {
    const signs = (text?.blocks ?? []).reduce(
      (sum, block) => sum + 40 + block.spans.reduce((all, span) => all + span.text.length, 0),
      0,
    )
    const width = Math.max(240, Math.min(520, Math.sqrt(signs * 190)))
    return { id: item.id, width, height: Math.ceil((signs * 7.4) / width) * 23 + PADDING, aspect: 1.5 }
  }
  if (!isInstrument(item))
    return { id: item.id, width: 240, height: 180, aspect: (item.w * 92) / (item.h * 40) }
  const more =
    (picture?.notes.length ? NOTE : 0) + (picture?.reach ? NOTE : 0) + (picture?.kinds.length ? NOTE : 0)
  const count = picture?.readings.length ?? 1
  const [width, height, aspect] = SINGLE[item.face] ?? [240, 200, 1.4]
  if (!picture || !(lists(picture) || kindOf(item.face).listed))
    return { id: item.id, width, height: height + more, aspect }
  const lines = Math.min(MOST_LINES, count)
  const list = (wide: number, chrome: number) => ({
    id: item.id,
    width: wide,
    height: PADDING + HEAD + chrome + lines * LINE + more,
    aspect: wide / (PADDING + HEAD + chrome + lines * LINE),
  })
  if (item.face === 'ledger') return list(190 + 82 * (item.look?.ledger.columns.length ?? 4), LINE)
  if (item.face === 'strip') return list(430, 48)
  if (item.face === 'lamp' || item.face === 'chip') return list(250, 0)
  if (['bar', 'bullet', 'ranked', 'pips'].includes(item.face)) return list(380, 20)
  if (item.face === 'quadrant' || item.face === 'profile')
    return { id: item.id, width, height: height + more, aspect }
  const [one, tall] = item.face === 'tile' ? [130, 84] : item.face === 'history' ? [220, 120] : [145, 138]
  const across = Math.max(1, Math.round(Math.sqrt(count * 1.5)))
  const along = Math.ceil(count / across)
  return {
    id: item.id,
    width: across * one + PADDING,
    height: along * tall + PADDING + HEAD + more,
    aspect: (across * one) / (along * tall),
  }
}

/** Sheets that stand on each other, as they did where they come from. */
type Stack = Need[]

const wide = (stack: Stack) => Math.max(...stack.map((need) => need.width))
const tall = (stack: Stack) => stack.reduce((sum, need) => sum + need.height, 0) + GAP * (stack.length - 1)

/** Lines of stacks side by side; null where they do not find room. */
function filled(lines: Stack[][], width: number, height: number): Place[] | null {
  const least = lines.map((line) => Math.max(...line.map(tall)))
  const spare = height - GAP * (lines.length - 1) - least.reduce((sum, one) => sum + one, 0)
  if (spare < 0) return null
  const all = least.reduce((sum, one) => sum + one, 0)
  const places: Place[] = []
  let y = 0
  for (const [at, line] of lines.entries()) {
    const high = least[at]! + (spare * least[at]!) / all
    const room = width - GAP * (line.length - 1)
    const needs = line.map(wide)
    const left = room - needs.reduce((sum, one) => sum + one, 0)
    if (left < 0) return null
    // What is left goes to those that are best wider, as far as they are.
    const wanted = line.map((stack, i) => {
      const each = (high - GAP * (stack.length - 1)) / stack.length
      return Math.max(0, Math.max(...stack.map((need) => need.aspect * each)) - needs[i]!)
    })
    const asked = wanted.reduce((sum, one) => sum + one, 0)
    let x = 0
    for (const [i, stack] of line.entries()) {
      const share = asked > 0 ? wanted[i]! / asked : needs[i]! / (room - left)
      const across =
        needs[i]! +
        (asked > left || asked === 0
          ? left * share
          : wanted[i]! + ((left - asked) * needs[i]!) / (room - left))
      const total = tall(stack) - GAP * (stack.length - 1)
      const given = high - GAP * (stack.length - 1)
      let top = y
      for (const need of stack) {
        const own = (given * need.height) / total
        places.push({ id: need.id, x, y: top, width: across, height: own })
        top += own + GAP
      }
      x += across + GAP
    }
    y += high + GAP
  }
  return places
}

/** How well a layout suits its sheets: 1 where each is as wide for its height as it is best. */
function suits(places: Place[], needs: Map<string, Need>): number {
  let sum = 0
  let area = 0
  for (const place of places) {
    const is = place.width / place.height
    const best = needs.get(place.id)!.aspect
    const size = place.width * place.height
    sum += size * Math.min(is / best, best / is) ** 1.5
    area += size
  }
  return area ? sum / area : 0
}

/** Every way to put stacks on lines, in their order. */
function* ways(stacks: Stack[]): Generator<Stack[][]> {
  const count = stacks.length
  if (count > MOST_AT_ONCE) {
    for (let per = 1; per <= count; per++) {
      const lines: Stack[][] = []
      for (let at = 0; at < count; at += per) lines.push(stacks.slice(at, at + per))
      yield lines
    }
    return
  }
  for (let breaks = 0; breaks < 1 << Math.max(0, count - 1); breaks++) {
    const lines: Stack[][] = [[stacks[0]!]]
    for (let at = 1; at < count; at++)
      if (breaks & (1 << (at - 1))) lines.push([stacks[at]!])
      else lines.at(-1)!.push(stacks[at]!)
    yield lines
  }
}

/** All sheets on a screen, as large as can be between two magnifications; null where they do not fit it. Those that stood
 * on each other may stand beside each other where that suits them better. */
export function fitted(
  stacks: Stack[],
  width: number,
  height: number,
  least: number,
  most: number,
): Screen | null {
  const needs = new Map(stacks.flat().map((need) => [need.id, need]))
  const loose = stacks.flatMap((stack) => stack.map((need) => [need]))
  const every = [...ways(stacks), ...(loose.length > stacks.length ? ways(loose) : [])]
  let best: (Screen & { worth: number }) | null = null
  for (let zoom = most; zoom >= least * 0.999; zoom *= 0.95) {
    for (const lines of every) {
      const places = filled(lines, width / zoom, height / zoom)
      if (!places) continue
      const worth = suits(places, needs) * zoom ** 0.6
      if (!best || worth > best.worth) best = { zoom, places, worth }
    }
  }
  return best && { zoom: best.zoom, places: best.places }
}

/** Sheets of a section in their order, those on each other together. */
export function stacked(items: Placed[], need: (item: Placed) => Need): Stack[] {
  const order = [...items].sort((a, b) => a.y - b.y || a.x - b.x)
  const stacks: { x: number; w: number; y: number; end: number; needs: Need[] }[] = []
  for (const item of order) {
    const above = stacks.find(
      (stack) =>
        stack.x === item.x &&
        stack.w === item.w &&
        stack.end === item.y &&
        order.some(
          (other) => other.id !== item.id && other.y < item.y && other.y + other.h >= item.y + item.h,
        ),
    )
    if (above) {
      above.needs.push(need(item))
      above.end = item.y + item.h
    } else stacks.push({ x: item.x, w: item.w, y: item.y, end: item.y + item.h, needs: [need(item)] })
  }
  return stacks.map((stack) => stack.needs)
}

/** A section on as few screens as it takes for type that is read from afar. */
export function screens(
  section: Section,
  need: (item: Placed) => Need,
  width: number,
  height: number,
): Screen[] {
  const least = Math.max(0.6, Math.sqrt(width * height) / 1180)
  const found: Screen[] = []
  let waiting = stacked(standing(section), need)
  while (waiting.length) {
    let taken = waiting.length
    let screen: Screen | null = null
    while (taken > 0 && !(screen = fitted(waiting.slice(0, taken), width, height, least, least * 2.4)))
      taken--
    if (!screen) {
      // One that no screen of this kind holds is made smaller than the others.
      const lone = waiting[0]!
      const zoom = Math.min(width / wide(lone), height / tall(lone))
      screen = { zoom, places: filled([[lone]], width / zoom + 1, height / zoom + 1)! }
      taken = 1
    }
    found.push(screen)
    waiting = waiting.slice(taken)
  }
  return found
}
