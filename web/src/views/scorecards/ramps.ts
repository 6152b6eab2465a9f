import type { Schemas } from '../../api/client'

export type RampColours = Schemas['RampBody']['colours']

/** What the ramps look like, in words. */
export const RAMP_NAMES: Record<string, string> = {
  slate: 'light to dark',
  heather: 'light to dark',
  moss: 'light to dark',
  tideline: 'rust to sea',
  dusk: 'umber to violet',
}
