/** The mark book of one KPI: its grid, what is being typed, and every change with its way back. */
import { Refusal, api, got, newest, seen, words, type Kpi, type Schemas } from '../../api/client'
import { History } from '../../parts/history.svelte'

export type Change = Schemas['ChangeBody']
export interface View {
  mark?: string
  by?: string
  within?: string
  member?: string
  year?: string
  grain?: 'week' | 'month' | 'quarter' | 'year'
  span?: number
}

export class Book {
  kpi = $state<Kpi | null>(null)
  grid = $state<Schemas['Grid'] | null>(null)
  failed = $state('')
  report = $state('')
  editing = $state<{ row: number; column: number } | null>(null)
  text = $state('')
  said = $state<Schemas['Understood'] | null>(null)
  tried = $state<Schemas['TryOut'] | null>(null)
  /** Marks that are far from everything read so far: kept only when somebody says so. */
  asked = $state<{ changes: Change[]; detail: string } | null>(null)
  private view: View = {}
  readonly history = new History<Change[]>((changes) => this.apply(changes, true))
  private turn = 0
  private sending: Change[] = []
  /** The one cell whose change is being kept: what is refused is told beside it. */
  private cell: { row: number; column: number } | null = null

  async open(kpi: Kpi, view: View) {
    if (kpi.id !== this.kpi?.id) this.history.clear()
    this.kpi = kpi
    this.view = view
    this.editing = null
    this.report = ''
    await this.load()
  }

  load = async () => {
    const { kpi, view } = this
    if (!kpi) return
    const mine = ++this.turn
    const ask = (name?: string) =>
      got(
        api.GET('/api/kpis/{key}/marks', {
          params: {
            path: { key: kpi.id },
            query: {
              name,
              by: view.by,
              within: view.within,
              member: view.member,
              year: view.year ? Number(view.year) : undefined,
              grain: view.grain,
              span: view.span,
            },
          },
        }),
      )
    try {
      let found = await ask(view.mark)
      // A KPI measured against another mark than a target opens on that.
      const used = (mark: Schemas['NameCount']) => mark.entries > 0 || !!mark.formula
      const other = found.names.find(used)
      if (!view.mark && other && !found.names.some((mark) => mark.name === 'target' && used(mark)))
        found = await ask(other.name)
      if (mine === this.turn) {
        this.grid = found
        this.failed = ''
      }
    } catch (error) {
      this.failed = words(error)
      this.grid = null
    }
  }

  changeAt(row: number, column: number, value: number | null): Change {
    const held = this.grid?.rows[row]
    return {
      name: this.grid?.name ?? 'target',
      whose: held?.whose ?? 'together',
      of: { ...held?.of },
      since: this.grid?.periods[column]?.key ?? '',
      value,
    }
  }

  async keep(changes: Change[], sure = false): Promise<boolean> {
    this.asked = null
    const back = changes.length ? await this.apply(changes, sure) : null
    if (!back) return false
    this.history.note(back)
    return true
  }

  /** The change of one cell. What the server has against it stands by that cell, and what was typed stays in it. */
  async keepCell(row: number, column: number, value: number | null, sure = false): Promise<boolean> {
    this.cell = { row, column }
    const kept = await this.keep([this.changeAt(row, column, value)], sure)
    this.cell = null
    return kept
  }

  async compute(name: string, formula: string | null): Promise<boolean> {
    if (!this.kpi || !this.grid) return false
    const params = { path: { key: this.kpi.id }, header: seen(this.grid.version) }
    return this.sent(() =>
      got(api.PUT('/api/kpis/{key}/marks/computed', { params, body: { name, formula } })),
    )
  }

  /** What the mark being typed would change, asked for while it is typed. */
  tryOut = newest(async (changes: Change[]) => {
    if (!this.kpi) return
    const body = { changes, by: this.grid?.by ?? null, sure: false }
    try {
      const params = { path: { key: this.kpi.id } }
      this.tried = await got(api.POST('/api/kpis/{key}/marks/try', { params, body }))
    } catch {
      this.tried = null // the edit itself will say what is wrong
    }
  })

  /** How many members the grid has rows of. */
  get members(): number {
    return this.grid?.rows.filter((row) => row.member !== null).length ?? 0
  }

  async understand(): Promise<Schemas['Understood'] | null> {
    const { kpi, text } = this
    if (!text.trim() || !kpi) return (this.said = null)
    const mark = this.editing ? this.changeAt(this.editing.row, this.editing.column, null) : null
    const members = Math.max(1, this.members)
    const body = { text, kpi: kpi.id, unit: kpi.body.unit, mark, members } as Schemas['UnderstandAsk']
    try {
      const answer = await got(api.POST('/api/kpis/understand', { body }))
      if (text === this.text) {
        this.said = answer
        this.tried = null
        const { editing } = this
        if (editing && answer.value != null)
          this.tryOut([this.changeAt(editing.row, editing.column, answer.value)])
      }
      return answer
    } catch (error) {
      this.failed = words(error)
      return null
    }
  }

  private async apply(changes: Change[], sure: boolean): Promise<Change[] | null> {
    if (!this.kpi || !this.grid) return null
    let back: Change[] | null = null
    const params = { path: { key: this.kpi.id }, header: seen(this.grid.version) }
    await this.sent(async () => {
      this.sending = changes
      back = (await got(api.POST('/api/kpis/{key}/marks', { params, body: { changes, sure } }))).back
    })
    return back
  }

  private async sent(send: () => Promise<unknown>): Promise<boolean> {
    try {
      await send()
      await this.load()
      return true
    } catch (error) {
      if (error instanceof Refusal && error.problem.question) {
        const detail = error.problem.question
        if (this.cell) {
          const { value } = this.sending[0]!
          this.editing = this.cell
          this.said = { value: value ?? null, shown: this.text, problem: '', doubt: detail, together: '' }
          return false
        }
        this.asked = { changes: this.sending, detail }
        return false
      }
      const stale = error instanceof Refusal && error.problem.status === 412
      if (stale) await this.load()
      else if (this.cell) {
        this.editing = this.cell
        this.said = { value: null, shown: '', doubt: '', problem: words(error), together: '' }
        return false
      }
      this.failed = stale
        ? 'The mark book was changed elsewhere meanwhile. It was loaded again; make your change once more.'
        : words(error)
      return false
    }
  }
}
