/** What is in view is told when something it may rest on has changed. */

/** Calls `told` on every change, and when the server is there again after it was away. Returns how to stop. */
export function whenChanged(told: () => void, away: (gone: boolean) => void = () => undefined): () => void {
  const stream = new EventSource('/api/changes')
  let lost = false
  let timer: ReturnType<typeof setTimeout> | undefined
  // Changes that come together are one.
  const soon = () => {
    clearTimeout(timer)
    timer = setTimeout(told, 150)
  }
  stream.addEventListener('changed', soon)
  stream.addEventListener('here', () => {
    if (lost) soon()
    lost = false
    away(false)
  })
  stream.addEventListener('error', () => {
    // A stream that ran its time is opened again at once; one that stays away is a server that does.
    lost = true
    setTimeout(() => lost && away(true), 4000)
  })
  return () => {
    clearTimeout(timer)
    lost = false
    stream.close()
  }
}
