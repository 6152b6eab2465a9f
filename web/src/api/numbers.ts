/** Counts as the organisation writes numbers; what is measured comes written from the server. */
let written = 'en-GB'
export const writeAs = (locale: string) => (written = locale.replace('_', '-'))
export const writtenAs = () => written
export const count = (n: number) => n.toLocaleString(written)
/** A choice or a weight as a percent, rounded to whole ones; what is measured comes written from the server. */
export const percent = (share: number) => share.toLocaleString(written, { style: 'percent' })
export const LOCALES: [string, string][] = [
  ['en_GB', '1,234.5 · £1,234'],
  ['de_DE', '1.234,5 · 1.234 €'],
  ['fr_FR', '1 234,5 · 1 234 €'],
  ['de_CH', '1’234.5 · CHF 1’234'],
  ['sv_SE', '1 234,5 · 1 234 kr'],
  ['en_US', '1,234.5 · $1,234'],
]
