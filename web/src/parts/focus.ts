/**
 * Whoever works by keyboard is never thrown back to the beginning of the page: where what had the focus is taken away or
 * can no longer be pressed, the focus goes to what stands in its place, else to what is nearest around it.
 */
const REACHED =
  'a[href], button:not(:disabled), input:not(:disabled), select:not(:disabled), textarea:not(:disabled), [tabindex]:not([tabindex="-1"])'
/** Longer than a dialog or popover takes to give the focus back by itself. */
const PATIENCE_MS = 60

interface Step {
  within: Element
  /** Which child of it the focus was in. */
  at: number
}

const reachable = (one: Element) =>
  one instanceof HTMLElement && one.isConnected && one.checkVisibility({ visibilityProperty: true })

function firstIn(place: Element | undefined): HTMLElement | undefined {
  if (!place) return
  const every = [...(place.matches(REACHED) ? [place] : []), ...place.querySelectorAll(REACHED)]
  return every.find(reachable) as HTMLElement | undefined
}

function heading(): HTMLElement | undefined {
  const main = document.querySelector('main')
  const title = main?.querySelector<HTMLElement>('input.page-title, h1')
  if (title && !title.matches(REACHED)) title.tabIndex = -1
  return title ?? firstIn(main ?? undefined)
}

/** What stands in the place of what is gone. */
function instead(path: Step[]): HTMLElement | undefined {
  for (const { within, at } of path) {
    if (!within.isConnected) continue
    if (within === document.body || within.matches('main')) break
    const found =
      firstIn(within.children[Math.min(at, within.children.length - 1)]) ??
      firstIn(within.children[at - 1]) ??
      firstIn(within)
    if (found) return found
  }
  return heading()
}

/** Watch over the focus of the page. Returns how to end that. */
export function keepFocus(): () => void {
  let last: HTMLElement | null = null
  let path: Step[] = []
  let waiting = 0

  function entered(event: FocusEvent) {
    last = event.target as HTMLElement
    path = []
    for (let one: Element = last; one.parentElement; one = one.parentElement)
      path.push({ within: one.parentElement, at: [...one.parentElement.children].indexOf(one) })
  }
  const lost = () => !!last && (!reachable(last) || last.matches(':disabled'))
  function check() {
    if (waiting || !last || document.activeElement !== document.body) return
    // Left by a press beside it: that is where its owner wants to be.
    if (!lost()) {
      last = null
      return
    }
    waiting = window.setTimeout(() => {
      waiting = 0
      if (document.activeElement !== document.body || !lost()) return
      instead(path)?.focus({ preventScroll: true })
    }, PATIENCE_MS)
  }
  const soon = () => queueMicrotask(check)
  const watcher = new MutationObserver(check)
  watcher.observe(document.body, {
    childList: true,
    subtree: true,
    attributes: true,
    attributeFilter: ['disabled', 'hidden'],
  })
  document.addEventListener('focusin', entered)
  document.addEventListener('focusout', soon)
  return () => {
    watcher.disconnect()
    document.removeEventListener('focusin', entered)
    document.removeEventListener('focusout', soon)
    clearTimeout(waiting)
  }
}
