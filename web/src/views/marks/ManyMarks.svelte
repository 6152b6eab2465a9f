<script lang="ts">
  import { typedNumber } from '../../api/typed'
  import { dequal } from 'dequal'
  import { count } from '../../api/numbers'
  /** Many marks at once: spread a yearly figure, take last year and more, compute, or read a sheet. */
  import { api, got, words, type Schemas } from '../../api/client'
  import Typed from '../../parts/Typed.svelte'
  import type { Book } from './book.svelte'

  type What = 'spread' | 'raise' | 'computed' | 'sheet'
  interface Props {
    book: Book
    what: What
    close: () => void
  }
  let { book, what, close }: Props = $props()
  const grid = $derived(book.grid!)
  const kpi = $derived(book.kpi!)
  const flow = $derived(kpi.body.nature === 'flow')
  const path = $derived({ key: kpi.id })
  const members = $derived(grid.rows.flatMap((row) => (row.member === null ? [] : [row.member])))
  const label = (change: Schemas['ChangeBody']) =>
    grid.rows.find((row) => row.whose === change.whose && dequal(row.of, change.of))?.label ??
    Object.values(change.of).join(', ')
  const grain = $derived(grid.grain === 'year' ? 'month' : grid.grain)

  let whose = $state(0) // a row of the book; of a sum all together is the first
  let value = $state<number | null>(null)
  let shown = $state('')
  let way = $state<'days' | 'even' | 'last_year' | 'weights'>('days')
  let weights = $state('')
  let more = $state('5')
  let everyone = $state(true)
  // svelte-ignore state_referenced_locally
  let formula = $state(book.grid?.formula ?? '')
  let proposed = $state<Schemas['Proposed'] | null>(null)
  let failed = $state('')

  async function propose(ask: () => Promise<Schemas['Proposed']>) {
    failed = ''
    try {
      proposed = await ask()
      book.tryOut($state.snapshot(proposed.changes) as Schemas['ChangeBody'][])
    } catch (error) {
      proposed = null
      failed = words(error)
    }
  }
  const owner = () => ({ whose: grid.rows[whose]!.whose, of: grid.rows[whose]!.of })
  const spread = () =>
    propose(async () =>
      got(
        api.POST('/api/kpis/{key}/marks/spread', {
          params: { path },
          body: {
            name: grid.name,
            ...owner(),
            over: grid.year.key,
            grain,
            value: value ?? 0,
            way,
            weights:
              way === 'weights'
                ? await Promise.all(
                    weights
                      .split(/[\s;]+/)
                      .filter(Boolean)
                      .map((weight) => typedNumber(weight)),
                  )
                : [],
          },
        }),
      ),
    )
  const raise = () =>
    propose(async () => {
      const share = (await typedNumber(more.replace('%', ''))) / 100
      return got(
        api.POST('/api/kpis/{key}/marks/raise', {
          params: { path },
          body: {
            name: grid.name,
            by: grid.by,
            over: grid.year.key,
            grain,
            more: share,
            members: everyone ? [...members, null] : [null],
          },
        }),
      )
    })
  const PRESETS = $derived([
    { name: 'a year before', formula: `year_ago(@${kpi.body.handle})` },
    { name: 'the period before', formula: `prior(@${kpi.body.handle})` },
    {
      name: 'the last twelve',
      formula: flow
        ? `prior(rolling(@${kpi.body.handle}, 12)) / 12`
        : `prior(rolling(@${kpi.body.handle}, 12))`,
    },
  ])
  async function compute(text: string | null) {
    if (await book.compute(grid.name, text)) close()
    else failed = book.failed
  }
  async function readSheet(files: FileList | null) {
    const file = files?.[0]
    if (!file) return
    const form = new FormData()
    form.append('file', file)
    await propose(() =>
      got(
        api.POST('/api/kpis/{key}/marks/sheet', {
          params: { path, query: { name: grid.name, by: grid.by ?? undefined } },
          body: { file: file as unknown as string },
          bodySerializer: () => form,
        }),
      ),
    )
  }
  async function keep() {
    if (!proposed) return
    const report = `${proposed.changes.length} marks were kept.`
    // What is far from usual was told above the list.
    if (await book.keep($state.snapshot(proposed.changes) as Schemas['ChangeBody'][], true)) {
      book.report = report
      close()
    } else failed = book.failed
  }
  const sheetOf = (form: string) => {
    const query = new URLSearchParams({
      name: grid.name,
      grain: grid.grain,
      year: grid.year.key,
      span: String(grid.span),
      form,
    })
    if (grid.by) query.set('by', grid.by)
    return `/api/kpis/${kpi.id}/marks/sheet?${query}`
  }
</script>

<section class="sheet pad gap" aria-label="Many marks">
  <div class="line">
    <h2 class="minor">
      {{
        spread: `Spread a yearly ${grid.name}`,
        raise: 'Last year and some more',
        computed: `Compute ${grid.name}`,
        sheet: 'Marks in a sheet',
      }[what]}
    </h2>
    <button class="act quiet" aria-label="Close" onclick={close}>✕</button>
  </div>

  {#if what === 'spread'}
    {#if !flow}
      <p class="note">
        {kpi.body.name} is a {kpi.body.nature}: its marks do not add up over time. Set one mark; it carries
        forward.
      </p>
    {:else}
      <div class="row">
        <span>{grid.year.label} of</span>
        <select class="type-in" aria-label="Whose" bind:value={whose}>
          {#each grid.rows as row, at (at)}<option value={at}>{row.label}</option>{/each}
        </select>
        <span>comes to</span>
        <span class="typed"
          ><Typed
            label="Yearly figure"
            unit={kpi.body.unit}
            {shown}
            keep={(next) => {
              value = next
              shown = next === null ? '' : count(next)
            }}
          /></span
        >
        <span>and is spread by</span>
        <select class="type-in" aria-label="Spread by" bind:value={way}>
          <option value="days">days</option>
          <option value="even">equal parts</option>
          <option value="last_year">last year’s shape</option>
          <option value="weights">weights I type</option>
        </select>
        {#if way === 'weights'}<input
            class="type-in weights"
            aria-label="Weights"
            placeholder="one for each {grain}: 1 1 2 …"
            bind:value={weights}
          />{/if}
        <button class="act" disabled={value === null} onclick={spread}>Show the marks</button>
      </div>
    {/if}
  {:else if what === 'raise'}
    <div class="row">
      <span>{grid.name} of {grid.year.label} is what was read a year before and</span>
      <input class="type-in percent" aria-label="More, in percent" inputmode="decimal" bind:value={more} />
      <span>% more, for</span>
      <select class="type-in" aria-label="For whom" bind:value={everyone}>
        <option value={true}>every {grid.by_label.toLowerCase() || 'member'} and all together</option>
        <option value={false}>all together</option>
      </select>
      <button class="act" disabled={!more.trim()} onclick={raise}>Show the marks</button>
    </div>
  {:else if what === 'computed'}
    <p class="small soft">
      Where the book has no entry, {grid.name} is worked out by this formula, for every member and period. A mark
      you type goes before it.
    </p>
    <div class="row">
      <input
        class="type-in formula"
        aria-label="Formula of the mark"
        placeholder="such as sum(plan_revenue)"
        bind:value={formula}
      />
      <button class="act main" disabled={!formula.trim()} onclick={() => compute(formula.trim())}
        >Compute it so</button
      >
      {#if grid.formula}<button class="act" onclick={() => compute(null)}>No longer</button>{/if}
    </div>
    <div class="row small">
      <span class="soft">its own value:</span>
      {#each PRESETS as preset (preset.name)}
        <button class="act" onclick={() => (formula = preset.formula)}>{preset.name}</button>
      {/each}
    </div>
  {:else}
    <div class="row">
      <label class="act"
        >Read a sheet<input
          class="sr-only"
          type="file"
          aria-label="Sheet of marks"
          accept=".csv,.tsv,.xlsx,.ods"
          onchange={(event) => readSheet(event.currentTarget.files)}
        /></label
      >
      <span class="small soft"
        >members down and periods across, or one mark a row with the columns member, from and value</span
      >
      <span class="grow"></span>
      <a class="act" href={sheetOf('xlsx')} download>Take it out as XLSX</a>
      <a class="act" href={sheetOf('csv')} download>as CSV</a>
    </div>
  {/if}

  {#if failed}<p class="note" role="alert">{failed}</p>{/if}
  {#if proposed}
    {#each proposed.report as line (line)}<p class="small" role="status">{line}</p>{/each}
    {#if proposed.changes.length}
      <ul class="small">
        {#each proposed.changes.slice(0, 36) as change, i (i)}
          <li>
            <span class="soft">{label(change)}, {proposed.since[i]}</span>
            <b>{proposed.shown[i]}</b>
          </li>
        {/each}
        {#if proposed.changes.length > 36}<li class="soft">and {proposed.changes.length - 36} more</li>{/if}
      </ul>
      {#if book.tried?.yardstick}
        <p class="small">
          {book.tried.count
            ? `${book.tried.count} readings so far would change state, graded by ${book.tried.yardstick}.`
            : `No reading so far would change state, graded by ${book.tried.yardstick}.`}
        </p>
      {/if}
      <div class="row">
        <button class="act main" onclick={keep}>Keep {proposed.changes.length} marks</button>
        <button class="act" onclick={() => (proposed = null)}>Drop them</button>
      </div>
    {/if}
  {/if}
</section>

<style>
  .pad {
    padding: 10px 14px;
    display: grid;
    gap: 8px;
  }
  .line {
    display: flex;
    justify-content: space-between;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
  }
  select {
    width: auto;
  }
  .typed {
    width: 130px;
  }
  .percent {
    width: 64px;
    text-align: right;
  }
  .weights {
    width: 260px;
  }
  .formula {
    flex: 1;
    min-width: 280px;
    font-family: ui-monospace, monospace;
  }
  .grow {
    flex: 1;
  }
  ul {
    columns: 190px auto;
    column-gap: 18px;
    max-height: 210px;
    overflow-y: auto;
  }
  li {
    display: flex;
    justify-content: space-between;
    gap: 8px;
    break-inside: avoid;
    border-bottom: 1px solid var(--rule);
  }
</style>
