/** Names of grains and months. */
export const GRAINS = ['day', 'week', 'month', 'quarter', 'year'] as const
export type Grain = (typeof GRAINS)[number]
export const MONTHS = [
  'January',
  'February',
  'March',
  'April',
  'May',
  'June',
  'July',
  'August',
  'September',
  'October',
  'November',
  'December',
]
