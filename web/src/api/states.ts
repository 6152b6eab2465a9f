/** The default states as every view draws them. Grading itself is the server's. */
export interface StateLook {
  key: string
  name: string
  sign: 'far-under' | 'just-under' | 'just-over' | 'far-over'
}

export const STATES: StateLook[] = [
  { key: 'short', name: 'Short', sign: 'far-under' },
  { key: 'near', name: 'Near', sign: 'just-under' },
  { key: 'met', name: 'Met', sign: 'just-over' },
  { key: 'beyond', name: 'Beyond', sign: 'far-over' },
]

export const stateOf = (key: string | null | undefined) => STATES.find((state) => state.key === key)

export const colour = (key: string | null | undefined) => `var(--${stateOf(key) ? key : 'nothing'})`
export const tint = (key: string | null | undefined) => `var(--${stateOf(key) ? key : 'nothing'}-tint)`
export const word = (key: string | null | undefined) => `var(--${stateOf(key) ? key : 'nothing'}-word)`
export const on = (key: string | null | undefined) => `var(--on-${stateOf(key) ? key : 'short'})`
