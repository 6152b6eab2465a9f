/** What is in view is told when something it may rest on has changed. */

/**
 * Calls `told` on every change, and when the server is there again after it was away; `messaged` when somebody was told
 * something. Returns how to stop.
 *
 * A browser keeps few connections to one server, over all its tabs: only a page that is seen holds one. What was out of
 * sight, or was left and is come back to, is told once more.
 */
export function whenChanged(
  told: () => void,
  away: (gone: boolean) => void = () => undefined,
  messaged: () => void = () => undefined,
): () => void {
  let stream: EventSource | undefined
  let lost = false
  let timer: ReturnType<typeof setTimeout> | undefined
  // Changes that come together are one.
  const soon = () => {
    clearTimeout(timer)
    timer = setTimeout(told, 150)
  }
  function open() {
    if (stream) return
    stream = new EventSource('/api/changes')
    stream.addEventListener('changed', soon)
    stream.addEventListener('message', messaged)
    stream.addEventListener('here', () => {
      if (lost) soon()
      lost = false
      away(false)
    })
    stream.addEventListener('error', () => {
      // A stream that ran its time is opened again at once; one that stays away is a server that does.
      lost = true
      setTimeout(() => lost && stream && away(true), 4000)
    })
  }
  function close() {
    if (!stream) return
    stream.close()
    stream = undefined
    lost = true
  }
  const follow = () => (document.visibilityState === 'visible' ? open() : close())
  document.addEventListener('visibilitychange', follow)
  addEventListener('pagehide', close)
  addEventListener('pageshow', follow)
  follow()
  return () => {
    document.removeEventListener('visibilitychange', follow)
    removeEventListener('pagehide', close)
    removeEventListener('pageshow', follow)
    clearTimeout(timer)
    close()
  }
}
