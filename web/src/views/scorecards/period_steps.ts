/** Going from period to period on a page, by its arrows and the keys; those beside it are at hand before anybody steps. */
import { push } from 'svelte-spa-router'
import type { Scope } from '../../api/client'
import type { Session } from './session.svelte'

const NOT_THERE = 'input, textarea, select, [role=dialog], [role=listbox], [role=slider], .slot-panel'
const place = () => location.hash.split('?')[0]
const DRAWN_MS = 20 // after the frame that tells where it goes

export class PeriodSteps {
  /** session: the one that is open now; addressOf: where a scope of it is read. */
  constructor(
    private readonly session: () => Session,
    private readonly addressOf: (scope: Scope) => string,
  ) {}

  /** The scope some periods on, where there are rows. */
  private scope(by: number): Scope | null {
    const { picture, scope, going } = this.session()
    const from = going?.key ?? picture?.period
    const at = picture?.periods.findIndex((one) => one.key === from) ?? -1
    const next = at < 0 ? undefined : picture?.periods[at + by]
    return next ? { ...scope, period: next.key, assume: {} } : null
  }

  async step(by: -1 | 1) {
    const session = this.session()
    const scope = this.scope(by)
    if (!scope) return
    session.stepping = scope
    const [top, here] = [window.scrollY, place()]
    // A page takes longer to be drawn than a press may take to be answered, and who goes on at once waits for none of them.
    session.going = session.picture?.periods.find((one) => one.key === scope.period) ?? null
    await new Promise((drawn) => requestAnimationFrame(() => setTimeout(drawn, DRAWN_MS)))
    if (session.stepping !== scope) return
    session.stepping = null
    if (here !== place()) return void (session.going = null)
    session.show(scope)
    await push(this.addressOf(scope))
    requestAnimationFrame(() => window.scrollTo(0, top))
    this.ahead(by, 2 * by)
  }

  ahead(...steps: number[]) {
    void this.session().ahead(steps.map((by) => this.scope(by)).filter((one) => one !== null))
  }

  keys(event: KeyboardEvent) {
    const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key] as -1 | 1 | undefined
    if (!way || event.altKey || event.ctrlKey || event.metaKey || event.shiftKey) return
    if ((event.target as HTMLElement).closest(NOT_THERE)) return
    event.preventDefault()
    void this.step(way)
  }
}
