/** The states there are and how they look, as the server tells them. Grading itself is the server's. */
import { api, got, type Schemas } from './client'

export type StateLook = Pick<Schemas['StateLook'], 'key' | 'name' | 'sign' | 'rank'>
export type PaletteLook = Schemas['PaletteLook']

/** The standard palette is known from the start, so that nothing waits for it; its colours stand in theme.css. */
const STANDARD: StateLook[] = [
  { key: 'short', name: 'Short', sign: 'far-under', rank: 1 },
  { key: 'near', name: 'Near', sign: 'just-under', rank: 2 },
  { key: 'met', name: 'Met', sign: 'just-over', rank: 3 },
  { key: 'beyond', name: 'Beyond', sign: 'far-over', rank: 4 },
]
let palettes = $state.raw<PaletteLook[]>([])
let known = $state.raw(new Map(STANDARD.map((state) => [state.key, state])))

// Constructed, so that no style needs to stand within the page.
const sheet = new CSSStyleSheet()
document.adoptedStyleSheets.push(sheet)

function rules(found: PaletteLook[], ground: 'light' | 'dark') {
  return found
    .filter((palette) => palette.key !== 'standard')
    .flatMap((palette) => palette.states)
    .map(({ key, [ground]: shades }) =>
      [
        `--${key}:${shades.full}`,
        `--${key}-tint:${shades.tint}`,
        `--${key}-word:${shades.word}`,
        `--on-${key}:${shades.on}`,
      ].join(';'),
    )
    .join(';')
}

export async function loadStates() {
  const found = await got(api.GET('/api/states')).catch(() => null)
  if (found) knowStates(found) // the page itself says that the server is away
}

export function knowStates(found: PaletteLook[]) {
  palettes = found
  known = new Map(found.flatMap((palette) => palette.states.map((state) => [state.key, state])))
  sheet.replaceSync(`:root{${rules(found, 'light')}} :root[data-mode='dark']{${rules(found, 'dark')}}`)
}

export const everyPalette = () => palettes
export const stateOf = (key: string | null | undefined): StateLook | undefined => known.get(key ?? '')
/** The states of the palette that a state belongs to, from worst to best. */
export const statesBeside = (key: string | null | undefined): StateLook[] =>
  palettes.find((palette) => palette.states.some((state) => state.key === key))?.states ?? STANDARD

export const colour = (key: string | null | undefined) => `var(--${stateOf(key) ? key : 'nothing'})`
export const tint = (key: string | null | undefined) => `var(--${stateOf(key) ? key : 'nothing'}-tint)`
export const word = (key: string | null | undefined) => `var(--${stateOf(key) ? key : 'nothing'}-word)`
export const on = (key: string | null | undefined) => `var(--on-${stateOf(key) ? key : 'short'})`
