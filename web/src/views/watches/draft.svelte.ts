/** A watch as it is written: its sentence, what can be chosen in it, and what it would have sent. */
import { SvelteURLSearchParams } from 'svelte/reactivity'
import { zoneHere } from '../data/clock'
import { api, got, newest, passes, seen, words, type Schemas } from '../../api/client'

export type Body = Schemas['WatchBody']
export type Watch = Schemas['WatchOut']
export type Choices = Schemas['WatchChoices']

/** What a new watch asks: a signal, of the KPI or scorecard that it is made from. */
export function fresh(query: URLSearchParams | SvelteURLSearchParams): Body {
  const asks = query.get('asks')
  return {
    name: '',
    kpi: query.get('kpi'),
    scorecard: query.get('scorecard'),
    by: query.get('by'),
    asks: (asks as Body['asks']) ?? 'signal',
    grain: 'month',
    state: '',
    stays: 1,
    minutes: 0,
    back: 0,
    rest: 0,
    tell: ['here'],
    when: 'at once',
    at: '07:00',
    weekday: 0,
    zone: zoneHere(),
  } as Body
}

export class Draft {
  body = $state.raw<Body>(fresh(new URLSearchParams()))
  kept = $state.raw<Watch | null>(null)
  choices = $state.raw<Choices | null>(null)
  tried = $state.raw<Schemas['TriedWatch'] | null>(null)
  failed = $state('')
  untried = $state('')
  changed = $state(false)

  begin(body: Body, kept: Watch | null) {
    this.body = body
    this.kept = kept
    this.changed = false
    this.failed = ''
    this.tried = null
    void this.choose()
    this.look()
  }

  change(edit: Partial<Body>) {
    this.body = { ...this.body, ...edit }
    this.changed = true
    if ('kpi' in edit || 'scorecard' in edit) void this.choose()
    this.look()
  }

  /** What can be asked about what is asked about; a question that cannot be becomes the first that can. */
  private async choose() {
    const { kpi, scorecard } = this.body
    try {
      const found = await got(
        api.GET('/api/watches/choices', {
          params: { query: { ...(kpi ? { kpi } : {}), ...(scorecard ? { scorecard } : {}) } },
        }),
      )
      if (kpi !== this.body.kpi || scorecard !== this.body.scorecard) return
      this.choices = found
      if (!kpi && !scorecard && found.kpis.length) {
        this.body = { ...this.body, kpi: found.kpis[0]!.key }
        return void this.choose()
      }
      const known = (kpi || scorecard) && found.questions.some((one) => one.key === this.body.asks)
      if (!known && found.questions.length)
        this.body = { ...this.body, asks: found.questions[0]!.key as Body['asks'] }
      if (kpi && this.body.by && !found.segments.some((one) => one.key === this.body.by))
        this.body = { ...this.body, by: null, members: [] }
      if (kpi && found.grains.length && !found.grains.includes(this.body.grain ?? 'month'))
        this.body = { ...this.body, grain: found.grains[0] as Body['grain'] }
      this.look()
    } catch (error) {
      this.failed = words(error)
    }
  }

  private look = newest(async () => {
    const body = this.body
    if (!body.kpi && !body.scorecard) return
    try {
      this.tried = await got(api.POST('/api/watches/try', { body: { ...body, name: body.name || 'x' } }))
      this.untried = ''
    } catch (error) {
      this.tried = null
      this.untried = words(error)
      return passes(error)
    }
  })

  /** Keep it; resolves to its key where it is new. */
  async save(called: string): Promise<string | null> {
    const body = { ...this.body, name: this.body.name || called }
    try {
      const kept = this.kept
        ? await got(
            api.PUT('/api/watches/{key}', {
              params: { path: { key: this.kept.id }, header: seen(this.kept.version) },
              body,
            }),
          )
        : await got(api.POST('/api/watches', { body }))
      const isNew = !this.kept
      this.kept = kept
      this.body = kept.body as Body
      this.changed = false
      this.failed = ''
      return isNew ? kept.id : null
    } catch (error) {
      this.failed = words(error)
      return null
    }
  }
}
