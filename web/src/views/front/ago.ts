/** A moment as one would say it: today, yesterday, Monday, 3 days ago. */
export function ago(at: string, now: Date, locale: string): { title: string; words: string } {
  const then = new Date(at)
  const midnight = (day: Date) => new Date(day.getFullYear(), day.getMonth(), day.getDate()).getTime()
  const days = Math.round((midnight(now) - midnight(then)) / 86_400_000)
  if (days <= 0) return { title: 'Since earlier today', words: 'earlier today' }
  if (days === 1) return { title: 'Since yesterday', words: 'yesterday' }
  const weekday = then.toLocaleDateString(locale, { weekday: 'long' })
  if (days < 7) return { title: `Since ${weekday}`, words: `${days} days ago` }
  const date = then.toLocaleDateString(locale, { day: 'numeric', month: 'long' })
  return { title: `Since ${date}`, words: `on ${date}` }
}
