/** A list without one that it holds, or with one that it does not. */
export const toggled = <T>(held: readonly T[], one: T): T[] =>
  held.includes(one) ? held.filter((other) => other !== one) : [...held, one]
