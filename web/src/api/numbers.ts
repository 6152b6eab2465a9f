/** Counts as the organisation writes numbers; what is measured comes written from the server. */
let written = 'en-GB'
export const writeAs = (locale: string) => (written = locale.replace('_', '-'))
export const writtenAs = () => written
export const count = (n: number) => n.toLocaleString(written)
export const LOCALES: [string, string][] = [
  ['en_GB', '1,234.5 · £1,234'],
  ['de_DE', '1.234,5 · 1.234 €'],
  ['fr_FR', '1 234,5 · 1 234 €'],
  ['de_CH', '1’234.5 · CHF 1’234'],
  ['sv_SE', '1 234,5 · 1 234 kr'],
  ['en_US', '1,234.5 · $1,234'],
]
