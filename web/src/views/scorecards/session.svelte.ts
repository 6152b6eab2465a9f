/** One open scorecard: its document, how it reads, and every change with its way back. */
import {
  Refusal,
  api,
  got,
  inTurn,
  newest,
  seen,
  words,
  type CardBody,
  type CardPicture,
  type Instrument,
  type Schemas,
  type Scope,
  type YardstickBody,
} from '../../api/client'
import { dequal } from 'dequal'
import { rebased } from './rebase'
import { changedCuts, marksBy } from '../../api/cuts'
import { History } from '../../parts/history.svelte'

/** A change to the scorecard, or to one yardstick, as the two forms of the document. */
type Step =
  | { kind: 'card'; before: CardBody; after: CardBody; says: string }
  | { kind: 'yardstick'; id: string; before: YardstickBody; after: YardstickBody; says: string }
  | { kind: 'mark'; kpi: string; before: Change; after: Change; says: string }
type Change = Schemas['ChangeBody']

const AUTOSAVE_MS = 500
const WHOLE: Scope = { period: 'complete', grain: 'month', members: {}, assume: {} }
const copy = <T>(value: T): T => $state.snapshot(value) as T

/** A reading that reads otherwise than a moment ago. */
export interface Moved {
  sheet: string
  title: string
  from: string
  to: string
}

function whatMoved(before: CardPicture, now: CardPicture): Moved[] {
  const was = new Map(before.instruments.flatMap((one) => one.readings.map((r) => [`${one.id} ${r.key}`, r])))
  const found = new Map<string, Moved>()
  for (const one of now.instruments)
    for (const reading of one.readings) {
      const old = was.get(`${one.id} ${reading.key}`)
      if (!old || (old.shown === reading.shown && old.state === reading.state)) continue
      const title = [reading.member ?? '', one.title].filter(Boolean).join(' · ')
      found.set(`${one.id} ${reading.key}`, { sheet: one.id, title, from: old.shown, to: reading.shown })
    }
  return [...found.values()]
}

export class Session {
  readonly id: string
  body = $state<CardBody | null>(null)
  picture = $state<CardPicture | null>(null)
  version = $state(0)
  /** Why it cannot be read; gone with the next reading. */
  problem = $state('')
  /** Whether the address names something that is not there. */
  unknown = $state(false)
  /** Why a change was not kept; it stays until one is, or until it was seen. */
  refused = $state('')
  missing = $state(false)
  saving = $state<'saved' | 'waiting' | 'saving' | 'failed'>('saved')
  savedAt = $state(Date.now())
  conflict = $state(false)
  rehearse = $state<Record<string, Schemas['Rehearsed']>>({})
  /** The period that is gone to, until its page is there. */
  going = $state.raw<CardPicture['periods'][number] | null>(null)
  /** The scope of a step that is about to be taken. */
  stepping: Scope | null = null
  /** Scope of reading alone, from the address; null reads the scorecard's own. */
  reading = $state<Scope | null>(null)
  /** Values that assumptions are tried with, by their key. Nothing of it is kept. */
  assume = $state<Record<string, number>>({})
  /** Told when what is tried has settled, so that the address holds it. */
  settled: () => void = () => {}
  yardsticks = $state<Record<string, { version: number; body: YardstickBody }>>({})
  private first: Record<string, YardstickBody> = {}
  private drafts = $state<Record<string, YardstickBody>>({})
  private triedMark = $state<Schemas['TriedMark'] | null>(null)
  /** The axis a drag began on, so that it stands still meanwhile. */
  private axis: { id: string; low: number; high: number } | null = null
  /** Steps hold both forms, so the one that leads back is the same one. */
  readonly history = new History<Step>(async (step, way) =>
    (await this.take(step, way === 'undo' ? 'before' : 'after')) ? step : null,
  )
  private timer: ReturnType<typeof setTimeout> | undefined
  private sending: Promise<void> | null = null

  constructor(id: string) {
    this.id = id
  }

  scope = $derived<Scope>(this.reading ?? this.body?.scope ?? WHOLE)
  /** The scope with what is tried. Read also once the page was left, when nothing derived is worked out any more. */
  get asked(): Scope {
    const scope = this.reading ?? this.body?.scope ?? WHOLE
    return Object.keys(this.assume).length ? { ...scope, assume: this.assume } : scope
  }
  /** What the page reads, with the period it has settled on: named in everything that is asked about it. */
  get pageScope(): Scope {
    const { period, grain } = this.picture ?? {}
    return period ? { ...this.asked, period, grain: grain ?? this.asked.grain } : this.asked
  }
  instruments = $derived<Instrument[]>(
    this.body?.sections?.flatMap((section) => section.instruments ?? []) ?? [],
  )

  async open() {
    try {
      const card = await got(api.GET('/api/scorecards/{key}', { params: { path: { key: this.id } } }))
      this.body = card.body
      this.version = card.version
      this.saving = 'saved'
      this.conflict = false
      this.refused = ''
      this.history.clear()
      this.drafts = {}
      await this.read()
    } catch (error) {
      this.missing = error instanceof Refusal && error.problem.status === 404
      this.problem = words(error)
    }
  }

  /** Read the scorecard as it stands here; while one reading is under way only the newest next one is kept. */
  read = newest(async () => {
    if (!this.body) return
    try {
      this.picture = (await this.readKept()) ?? (await this.readTried())
      if (!this.stepping) this.going = null
      this.problem = ''
      this.unknown = false
      return this.picture.waiting
    } catch (error) {
      this.going = null
      this.problem = words(error)
      this.unknown =
        error instanceof Refusal && ['no-segment', 'no-member', 'no-assumption'].includes(error.problem.type)
    }
  })

  private page(scope: Scope | null): Promise<CardPicture> {
    const query = scope && { period: scope.period, grain: scope.grain, ...scope.members }
    return got(
      api.GET('/api/scorecards/{key}/page', { params: { path: { key: this.id }, query: query ?? {} } }),
    )
  }

  /** Have the server, and the browser, hold pages that are likely to be read next. */
  async ahead(scopes: Scope[]) {
    for (const scope of scopes) {
      const key = JSON.stringify(scope)
      if (this.held.has(key) || this.held.size > 24) continue
      const page = await this.page(scope).catch(() => null)
      if (page) this.held.set(key, page)
    }
  }
  private held = new Map<string, CardPicture>()
  /** Show a page that was read ahead, until it has been read again. */
  show(scope: Scope) {
    const page = this.held.get(JSON.stringify(scope))
    if (page?.version !== this.version) return
    this.picture = page
    this.going = null
  }

  /** Something was changed somewhere: read again, and tell what reads otherwise. */
  async again(): Promise<Moved[]> {
    this.held.clear()
    const before = this.picture
    if (!this.body || this.conflict) return []
    await this.read()
    const now = this.picture
    if (!before || !now || before === now || before.period !== now.period) return []
    if (now.version !== before.version) return []
    return whatMoved(before, now)
  }

  /** The page of the kept scorecard, which the server may have at hand; null where something is being tried. */
  private async readKept(): Promise<CardPicture | null> {
    const tried =
      this.saving !== 'saved' ||
      this.axis ||
      this.triedMark ||
      Object.keys(this.assume).length ||
      Object.keys(this.rehearse).length ||
      Object.keys(this.drafts).length
    if (tried) return null
    const scope = this.reading
    // A segment may be called as one of the other parts of the address is.
    if (['period', 'grain', 'data', 'assume'].some((word) => scope?.members?.[word])) return null
    const page = await this.page(scope)
    return page.version === this.version ? page : null // somebody else has saved a newer one
  }

  private readTried(): Promise<CardPicture> {
    return got(
      api.POST('/api/scorecards/read', {
        body: {
          body: this.still(copy(this.body!)),
          scope: copy(this.asked),
          rehearse: copy(this.rehearse),
          yardsticks: copy(this.drafts),
          marks: this.triedMark ? [copy(this.triedMark)] : [],
        },
      }),
    )
  }

  change(says: string, make: (body: CardBody) => void) {
    if (!this.body) return
    const before = copy(this.body)
    const after = copy(this.body)
    make(after)
    if (dequal(before, after)) return
    this.history.note({ kind: 'card', before, after, says })
    this.put(after)
  }

  changeInstrument(id: string, says: string, make: (instrument: Instrument) => void) {
    this.change(says, (body) => {
      for (const section of body.sections ?? [])
        for (const instrument of section.instruments ?? []) if (instrument.id === id) make(instrument)
    })
  }

  /** Try assumptions with other values on the whole page. settled: it is no step on the way of a slider. */
  assuming(values: Record<string, number>, settled: boolean) {
    const kept = new Map(this.picture?.assumptions.map((one) => [one.key, one.kept]))
    this.assume = Object.fromEntries(Object.entries(values).filter(([key, value]) => kept.get(key) !== value))
    this.read()
    if (settled) this.settled()
  }

  /** A yardstick as it was when it was first met here, to say what changed since. */
  openedWith(id: string): YardstickBody | undefined {
    return this.first[id]
  }

  /** Try a yardstick on the whole page without keeping it; null goes back to the kept one. */
  draft(id: string, body: YardstickBody | null) {
    const rest = Object.fromEntries(Object.entries(this.drafts).filter(([key]) => key !== id))
    this.drafts = body ? { ...rest, [id]: body } : rest
    this.read()
  }

  async yardstick(id: string, fresh = false) {
    if (fresh || !this.yardsticks[id]) {
      const found = await got(api.GET('/api/yardsticks/{key}', { params: { path: { key: id } } }))
      this.yardsticks[id] = { version: found.version, body: found.body }
      this.first[id] ??= found.body
    }
    return this.yardsticks[id]!
  }

  changeYardstick = inTurn(async (id: string, after: YardstickBody, says: string) => {
    const before = copy((await this.yardstick(id)).body)
    if (dequal(before, after)) return this.draft(id, null)
    if (await this.putYardstick(id, after)) this.history.note({ kind: 'yardstick', id, before, after, says })
  })

  /** Save what is waiting; resolves when nothing is. */
  async flush() {
    clearTimeout(this.timer)
    this.read.stop()
    if (this.saving === 'waiting' || this.saving === 'failed') await this.save()
    else await this.sending
  }

  async takeNewer() {
    await this.open()
    this.yardsticks = {}
  }

  /** Keep this version as a scorecard of its own. Resolves to its id. */
  async keepAsCopy(): Promise<string | null> {
    if (!this.body) return null
    try {
      const body = { ...copy(this.body), title: `${this.body.title.slice(0, 108)} (my copy)` }
      return (await got(api.POST('/api/scorecards', { body }))).id
    } catch (error) {
      this.refused = words(error)
      return null
    }
  }

  private async take(step: Step, form: 'before' | 'after'): Promise<boolean> {
    if (step.kind === 'yardstick') return this.putYardstick(step.id, step[form])
    if (step.kind === 'mark') return this.putMark(step.kpi, step[form])
    return this.put(step[form])
  }

  /** The scorecard with the axis of the instrument that is dragged on held where it was. */
  private still(body: CardBody): CardBody {
    const held = this.axis
    for (const section of held ? (body.sections ?? []) : [])
      for (const instrument of section.instruments ?? [])
        if (instrument.id === held!.id) instrument.axis = { low: held!.low, high: held!.high }
    return body
  }

  /** Where on its axis a drag is, as a value; snapped to round ones unless it is to be fine. */
  private valueAt(instrument: Instrument, fraction: number, fine: boolean): number | null {
    const picture = this.picture?.instruments.find((known) => known.id === instrument.id)
    const axis = picture?.readings[0]?.history?.axis ?? picture?.axis
    if (!axis) return null
    this.axis ??= { id: instrument.id, low: axis.low, high: axis.high }
    const { low, high } = this.axis
    const value = low + fraction * (high - low)
    return fine ? value : Number((Math.round(value / axis.step) * axis.step).toPrecision(12))
  }

  private dragging = false
  private tryCut = newest(async (id: string, change: Schemas['CutChange']) => {
    const next = await changedCuts(change).catch((error) => void (this.refused = words(error)))
    if (next && this.dragging) this.draft(id, next)
  })
  /** Move a cut on a face: tried on the whole page while it is held, kept when it is let go. */
  async dragCut(instrument: Instrument, at: number, fraction: number, done: boolean, fine: boolean) {
    const id = instrument.yardstick
    const reading = this.picture?.instruments.find((known) => known.id === instrument.id)?.readings[0]
    const to = this.valueAt(instrument, fraction, fine)
    if (!id || !reading || to === null) return
    const { body } = await this.yardstick(id)
    // Held by the cuts that are read, also those whose marks are not shown here.
    const [below, above] = [reading.cuts[at - 1]?.value ?? -Infinity, reading.cuts[at + 1]?.value ?? Infinity]
    const change = {
      body: copy(body),
      how: 'move',
      at,
      to: Math.min(Math.max(to, below), above),
      marks: marksBy(reading.marks),
      scale: reading.scale || 1,
    } as const
    this.dragging = !done
    if (!done) return this.tryCut(id, change)
    this.tryCut.stop()
    this.axis = null
    try {
      const next = await changedCuts(change)
      this.draft(id, next) // in place of where it was tried last, which goes once this one is kept
      await this.changeYardstick(id, next, 'move a cut')
    } catch (error) {
      this.refused = words(error)
      this.draft(id, null)
    }
  }

  /** Move a mark on a face: an entry of the mark book for what the page reads, from the period that is read. */
  async dragMark(instrument: Instrument, name: string, fraction: number, done: boolean, fine: boolean) {
    const picture = this.picture?.instruments.find((known) => known.id === instrument.id)
    const value = this.valueAt(instrument, fraction, fine)
    const owner = this.picture?.mark_owner
    if (!picture || value === null || !owner) return
    const entry = { name, ...owner, since: picture.period, value }
    // The book as it was when the drag began: what is read while it is tried may be somebody else's newer one.
    this.sawBook ??= this.picture?.books[instrument.kpi] ?? 0
    if (!done) {
      this.triedMark = { kpi: instrument.kpi, ...entry }
      await this.read()
      return
    }
    const saw = this.sawBook
    this.triedMark = null
    this.axis = null
    this.sawBook = null
    await this.putMark(instrument.kpi, entry, saw, 'ask', true)
  }
  private sawBook: number | null = null
  /** A mark that was dragged far from every reading: it is kept once somebody says so. */
  unsure = $state.raw<{ question: string; keep: () => Promise<boolean> } | null>(null)

  private async putMark(
    kpi: string,
    change: Change,
    saw = this.picture?.books[kpi] ?? 0,
    sure: 'sure' | 'ask' = 'sure',
    noted = false,
  ): Promise<boolean> {
    try {
      const kept = await got(
        api.POST('/api/kpis/{key}/marks', {
          params: { path: { key: kpi }, header: seen(saw) },
          body: { changes: [change], sure: sure === 'sure' },
        }),
      )
      this.refused = ''
      this.unsure = null
      if (this.picture) this.picture.books[kpi] = kept.version // for the next change, also before it is read again
      if (noted && kept.back[0])
        this.history.note({ kind: 'mark', kpi, before: kept.back[0], after: change, says: 'move a mark' })
      this.chances = []
      if (noted) this.tellChance(kpi, change)
      await this.read()
      return true
    } catch (error) {
      const question = error instanceof Refusal ? error.problem.question : null
      this.unsure = question ? { question, keep: () => this.putMark(kpi, change, saw, 'sure', true) } : null
      this.refused = question
        ? ''
        : error instanceof Refusal && error.problem.status === 412
          ? 'This mark book was changed elsewhere meanwhile. It was read again; make your change once more.'
          : words(error)
      await this.read()
      return false
    }
  }

  /** How often a mark that was set would be met by usual variation alone; never waited for. */
  chances = $state.raw<string[]>([])
  private tellChance(kpi: string, change: Change) {
    const params = { path: { key: kpi } }
    got(api.POST('/api/kpis/{key}/marks/try', { params, body: { changes: [change], sure: true } }))
      .then((tried) => (this.chances = tried.chances))
      .catch(() => undefined) // the mark is kept, and workings say it too
  }

  private put(body: CardBody): boolean {
    this.body = copy(body)
    this.saving = 'waiting'
    clearTimeout(this.timer)
    this.timer = setTimeout(() => this.save(), AUTOSAVE_MS)
    this.read()
    return true
  }

  /** One save after the other, each with what stands here when its turn comes and the version the last one made. */
  private save(): Promise<void> {
    const turn = (this.sending ?? Promise.resolve()).then(() => this.send())
    this.sending = turn
    return turn.then(() => {
      if (this.sending === turn) this.sending = null
    })
  }

  private async send() {
    if (!this.body || this.conflict || this.saving === 'saved') return
    const body = copy(this.body)
    this.saving = 'saving'
    try {
      const path = { params: { path: { key: this.id }, header: seen(this.version) } }
      const card = await got(api.PUT('/api/scorecards/{key}', { ...path, body }))
      this.version = card.version
      this.savedAt = Date.now()
      if (!dequal(card.body, body)) {
        // Somebody else changed other sheets meanwhile: what came of both is what stands.
        this.body = rebased(body, copy(this.body), card.body)
        void this.read()
      }
      if (this.saving === 'saving') this.saving = 'saved'
      this.refused = ''
      if (this.problem) void this.read() // the server was away, and is back
    } catch (error) {
      this.failed(error)
      if (!this.conflict) this.timer = setTimeout(() => this.save(), 4000)
    }
  }

  private putYardstick = inTurn(async (id: string, body: YardstickBody): Promise<boolean> => {
    try {
      const held = await this.yardstick(id)
      const path = { params: { path: { key: id }, header: seen(held.version) } }
      const kept = await got(api.PUT('/api/yardsticks/{key}', { ...path, body }))
      this.yardsticks[id] = { version: kept.version, body: kept.body }
      this.refused = ''
      if (dequal(this.drafts[id], body)) this.draft(id, null)
      else void this.read()
      return true
    } catch (error) {
      if (error instanceof Refusal && error.problem.status === 412) {
        await this.yardstick(id, true)
        this.refused =
          'This yardstick was changed elsewhere meanwhile. It was loaded again; make your change once more.'
      } else this.refused = words(error)
      this.draft(id, null)
      return false
    }
  })

  private failed(error: unknown) {
    this.saving = 'failed'
    this.conflict = error instanceof Refusal && error.problem.status === 412
    this.refused = this.conflict ? '' : words(error)
  }
}
