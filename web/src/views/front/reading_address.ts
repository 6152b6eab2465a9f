/** How many lines of a list the front page shows before it is asked for more. */
export const FEW = 6

/** Where a reading's workings are open. write: to write its word. */
export const addressOfReading = (card: string, sheet: string, key: string, write = false) =>
  `#/scorecards/${card}?${new URLSearchParams({ '-reading': `${sheet}/${key}`, ...(write ? { '-write': '1' } : {}) })}`
