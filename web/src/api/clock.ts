/** What is now: by the server's clock, whatever that of this machine says; and which day it is where the reader is. */
// Kept beyond the visit: what is read before the server has answered is by the same clock.
let ahead = Number(localStorage.getItem('clock-ahead') ?? 0)

/** at: the server's moment, just told. */
export function setClock(at: string): void {
  ahead = Date.parse(at) - Date.now()
  localStorage.setItem('clock-ahead', String(ahead))
}
export const now = () => new Date(Date.now() + ahead)
export const today = () => {
  const moment = now()
  return new Date(moment.getTime() - moment.getTimezoneOffset() * 60_000).toISOString().slice(0, 10)
}
