/** One open scorecard: its document, how it reads, and every change with its way back. */
import {
  Refusal,
  api,
  got,
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

/** A change to the scorecard, or to one yardstick, as the two forms of the document. */
type Step =
  | { kind: 'card'; before: CardBody; after: CardBody; says: string }
  | { kind: 'yardstick'; id: string; before: YardstickBody; after: YardstickBody; says: string }

const AUTOSAVE_MS = 500
const WAITING_MS = 1500
const copy = <T>(value: T): T => $state.snapshot(value) as T

export class Session {
  readonly id: string
  body = $state<CardBody | null>(null)
  picture = $state<CardPicture | null>(null)
  version = $state(0)
  problem = $state('')
  missing = $state(false)
  saving = $state<'saved' | 'waiting' | 'saving' | 'failed'>('saved')
  savedAt = $state(Date.now())
  conflict = $state(false)
  rehearse = $state<Record<string, Schemas['Rehearsed']>>({})
  /** Scope of reading alone, from the address; null reads the scorecard's own. */
  reading = $state<Scope | null>(null)
  yardsticks = $state<Record<string, { version: number; body: YardstickBody }>>({})
  private drafts = $state<Record<string, YardstickBody>>({})
  private past = $state<Step[]>([])
  private future = $state<Step[]>([])
  private timer: ReturnType<typeof setTimeout> | undefined
  private again: ReturnType<typeof setTimeout> | undefined
  private sending: Promise<void> | null = null

  constructor(id: string) {
    this.id = id
  }

  scope = $derived<Scope>(
    this.reading ?? this.body?.scope ?? { period: 'complete', grain: 'month', members: {} },
  )
  canUndo = $derived(this.past.length > 0)
  canRedo = $derived(this.future.length > 0)
  undoSays = $derived(this.past.at(-1)?.says ?? '')
  redoSays = $derived(this.future.at(-1)?.says ?? '')
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
      this.past = []
      this.future = []
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
      this.picture = await got(
        api.POST('/api/scorecards/read', {
          body: {
            body: copy(this.body),
            scope: this.reading ? copy(this.reading) : null,
            rehearse: copy(this.rehearse),
            yardsticks: copy(this.drafts),
          },
        }),
      )
      this.problem = ''
      // A live source has not answered yet: what is missing follows as soon as it does.
      clearTimeout(this.again)
      if (this.picture.waiting) this.again = setTimeout(() => this.read(), WAITING_MS)
    } catch (error) {
      this.problem = words(error)
    }
  })

  change(says: string, make: (body: CardBody) => void) {
    if (!this.body) return
    const before = copy(this.body)
    const after = copy(this.body)
    make(after)
    if (JSON.stringify(before) === JSON.stringify(after)) return
    this.note({ kind: 'card', before, after, says })
    this.put(after)
  }

  changeInstrument(id: string, says: string, make: (instrument: Instrument) => void) {
    this.change(says, (body) => {
      for (const section of body.sections ?? [])
        for (const instrument of section.instruments ?? []) if (instrument.id === id) make(instrument)
    })
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
    }
    return this.yardsticks[id]!
  }

  async changeYardstick(id: string, after: YardstickBody, says: string) {
    const before = copy((await this.yardstick(id)).body)
    if (JSON.stringify(before) === JSON.stringify(after)) return this.draft(id, null)
    if (await this.putYardstick(id, after)) this.note({ kind: 'yardstick', id, before, after, says })
  }

  async undo() {
    const step = this.past.at(-1)
    if (!step) return
    if (step.kind === 'yardstick' ? await this.putYardstick(step.id, step.before) : this.put(step.before)) {
      this.past = this.past.slice(0, -1)
      this.future = [...this.future, step]
    }
  }

  async redo() {
    const step = this.future.at(-1)
    if (!step) return
    if (step.kind === 'yardstick' ? await this.putYardstick(step.id, step.after) : this.put(step.after)) {
      this.future = this.future.slice(0, -1)
      this.past = [...this.past, step]
    }
  }

  /** Save what is waiting; resolves when nothing is. */
  async flush() {
    clearTimeout(this.timer)
    clearTimeout(this.again)
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
      this.problem = words(error)
      return null
    }
  }

  private note(step: Step) {
    this.past = [...this.past.slice(-199), step]
    this.future = []
  }

  private put(body: CardBody): boolean {
    this.body = copy(body)
    this.saving = 'waiting'
    clearTimeout(this.timer)
    this.timer = setTimeout(() => this.save(), AUTOSAVE_MS)
    this.read()
    return true
  }

  private async save() {
    await this.sending
    if (!this.body || this.conflict) return
    this.sending = this.send(copy(this.body))
    await this.sending
    this.sending = null
  }

  private async send(body: CardBody) {
    this.saving = 'saving'
    try {
      const path = { params: { path: { key: this.id }, header: seen(this.version) } }
      const card = await got(api.PUT('/api/scorecards/{key}', { ...path, body }))
      this.version = card.version
      this.savedAt = Date.now()
      if (this.saving === 'saving') this.saving = 'saved'
      this.problem = ''
    } catch (error) {
      this.failed(error)
      if (!this.conflict) this.timer = setTimeout(() => this.save(), 4000)
    }
  }

  private async putYardstick(id: string, body: YardstickBody): Promise<boolean> {
    try {
      const held = await this.yardstick(id)
      const path = { params: { path: { key: id }, header: seen(held.version) } }
      const kept = await got(api.PUT('/api/yardsticks/{key}', { ...path, body }))
      this.yardsticks[id] = { version: kept.version, body: kept.body }
      this.draft(id, null)
      return true
    } catch (error) {
      if (error instanceof Refusal && error.problem.status === 412) {
        await this.yardstick(id, true)
        this.problem =
          'This yardstick was changed elsewhere meanwhile. It was loaded again; make your change once more.'
      } else this.problem = words(error)
      this.draft(id, null)
      return false
    }
  }

  private failed(error: unknown) {
    this.saving = 'failed'
    this.problem = words(error)
    if (error instanceof Refusal && error.problem.status === 412) {
      this.conflict = true
      this.problem = ''
    }
  }
}
