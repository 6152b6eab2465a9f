<script lang="ts">
  import { known } from '../../api/me.svelte'
  import { push, router } from 'svelte-spa-router'
  import { Refusal, api, got, seen, words, type Dataset, type Schemas } from '../../api/client'
  import Delete from '../../parts/Delete.svelte'
  import ByClock from './ByClock.svelte'
  import ChecklistEditor from './ChecklistEditor.svelte'
  import ColumnHeading from './ColumnHeading.svelte'
  import ColumnPanel from './ColumnPanel.svelte'
  import DataSentence from './DataSentence.svelte'
  import DerivedColumns from './DerivedColumns.svelte'
  import LiveForm from './LiveForm.svelte'
  import Lookups from './Lookups.svelte'
  import Refresh from './Refresh.svelte'
  import RowsTable from './RowsTable.svelte'
  import SheetEditor from './SheetEditor.svelte'
  import Versions from './Versions.svelte'
  import { longDay } from '../../api/days'

  let { params }: { params: { id: string } } = $props()
  const looked = $derived(new URLSearchParams(router.querystring ?? '').get('column'))
  let opened = $state<'refresh' | 'versions' | 'settings' | null>(null)
  let clocked = $state(false)
  let dataset = $state<Dataset | null>(null)
  let rows = $state<Schemas['RowsOut'] | null>(null)
  let others = $state<Dataset[]>([])
  let failed = $state('')

  async function load() {
    try {
      const path = { params: { path: { key: params.id } } }
      let every: Dataset[]
      // What stands in the columns of many rows takes a while; the rest is there before.
      const looked = got(api.GET('/api/datasets/{key}/rows', path))
      looked.catch(() => undefined) // told below
      ;[dataset, every] = await Promise.all([
        got(api.GET('/api/datasets/{key}', path)),
        got(api.GET('/api/datasets')),
      ])
      others = every.filter(
        (one) => one.id !== params.id && !one.folder && !!one.connection === !!dataset?.connection,
      )
      const found = await looked
      if (path.params.path.key === params.id) rows = found
    } catch (error) {
      failed = words(error)
    }
  }
  $effect(() => {
    void params.id
    opened = null
    clocked = false
    rows = null
    load()
  })
  /** The dataset as it is after a change; its rows are looked at again where they are others. */
  function take(next: Dataset) {
    const others = next.rows_version !== dataset?.rows_version
    dataset = next
    failed = ''
    if (others || next.kind === 'live') load()
  }

  /** Columns have come or gone, so its rows are looked at again. */
  function widened(next: Dataset) {
    dataset = next
    void load()
  }

  /** The last complete day before it was changed here: null where it followed the rows. */
  let dayBefore = $state<string | null | undefined>(undefined)
  async function through(day: string | null) {
    const before = dataset?.fixed_through ? dataset.through : null
    await change((body) => (body.through = day))
    dayBefore = failed ? undefined : before
  }

  async function change(edit: (change: Schemas['DatasetChange']) => void) {
    if (!dataset) return
    const body: Schemas['DatasetChange'] = {
      name: dataset.name,
      columns: dataset.columns.map(({ name, label, role }) => ({ name, label, role })),
    }
    edit(body)
    try {
      dataset = await got(
        api.PATCH('/api/datasets/{key}', {
          params: { path: { key: dataset.id }, header: seen(dataset.version) },
          body,
        }),
      )
      failed = ''
    } catch (error) {
      failed = words(error)
      if (error instanceof Refusal && error.problem.status === 412) {
        const told = failed
        await load()
        failed = told.replace(
          'Take the newer one, or keep yours as a copy.',
          'It was loaded again; make your change once more.',
        )
      }
    }
  }
  async function remove() {
    if (!dataset) return
    try {
      await got(
        api.DELETE('/api/datasets/{key}', {
          params: { path: { key: dataset.id }, header: seen(dataset.version) },
        }),
      )
      await push('/data')
    } catch (error) {
      failed = words(error)
    }
  }
  function changeColumn(name: string, edit: Partial<Schemas['ColumnChange']>) {
    change((body) => {
      for (const column of body.columns) {
        // One column alone is the period: the earlier one steps back.
        if (edit.role === 'period' && column.role === 'period') column.role = 'text'
        if (column.name === name) Object.assign(column, edit)
      }
    }).then(load)
  }
  const look = (column: string | null) =>
    push(`/data/${params.id}${column ? `?column=${encodeURIComponent(column)}` : ''}`)
  const toggle = (what: NonNullable<typeof opened>) => (opened = opened === what ? null : what)
  const typed = $derived(dataset?.kind === 'sheet' || dataset?.kind === 'checklist')
  const problems = $derived([...(dataset?.problems ?? []), ...(rows?.problems ?? [])])
  const general = $derived(problems.filter((problem) => !problem.column))
  const problemsOf = (name: string) => problems.filter((problem) => problem.column === name)
  const summary = (name: string) => rows?.summary.find((column) => column.name === name)
</script>

{#snippet heading(column: Schemas['ColumnOut'])}
  <ColumnHeading
    {column}
    told={summary(column.name)}
    waiting={!rows && !failed}
    problems={problemsOf(column.name)}
    look={() => look(column.name)}
    choose={(role) => changeColumn(column.name, { role })}
  />
{/snippet}

<main class="page">
  {#if dataset}
    <div class="top">
      <div>
        <h1>{dataset.name}</h1>
        <DataSentence
          {dataset}
          rename={(name) => change((body) => (body.name = name))}
          {through}
          nameDays={(days) => change((body) => (body.named_dates = days))}
        />
      </div>
      <Delete name={dataset.name} {remove} />
      {#if dataset.connection}
        <button class="act" aria-pressed={opened === 'settings'} onclick={() => toggle('settings')}
          >Settings</button
        >
      {:else if !dataset.folder}
        <button class="act" aria-pressed={opened === 'versions'} onclick={() => toggle('versions')}
          >Versions</button
        >
        {#if dataset.kind === 'file'}
          <button class="act" aria-pressed={opened === 'refresh'} onclick={() => toggle('refresh')}
            >Refresh</button
          >
        {/if}
      {/if}
      {#if known()?.signs_in}<a class="act" href="#/people/dataset/{dataset.id}">Who reads it</a>{/if}
      <a class="act main" href="#/kpis?new={dataset.id}">New KPI from it</a>
    </div>
    {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}
    {#if dayBefore !== undefined}
      <p class="aside-note gap" role="status">
        Complete through {longDay(dataset.through)} now, for every scorecard that reads these rows.
        <button
          class="act"
          onclick={async () => {
            await through(dayBefore!)
            dayBefore = undefined
          }}>Take it back</button
        >
      </p>
    {/if}
    {#if opened === 'settings'}<div class="gap"><LiveForm {dataset} done={take} /></div>{/if}

    {#if dataset.kind === 'file'}
      <ByClock {dataset} begin={clocked} changed={load} ended={() => (clocked = false)} />
    {/if}
    {#each general as problem, i (i)}
      <p class="note gap">
        {problem.message}{#if problem.rows.length}{' '}<span class="soft"
            >Lines {problem.rows.join(', ')}.</span
          >{/if}
      </p>
    {/each}

    <div class="two" class:wide={!looked && opened !== 'refresh' && opened !== 'versions'}>
      <div class="main">
        {#if dataset.kind === 'sheet'}<SheetEditor {dataset} kept={take} />{/if}
        {#if dataset.kind === 'checklist'}<ChecklistEditor {dataset} kept={take} />{/if}
        {#if dataset.kind !== 'checklist'}
          <section class="sheet besides" aria-label="Columns besides its rows">
            <Lookups {dataset} {others} take={widened} />
            <DerivedColumns {dataset} take={widened} />
          </section>
        {/if}
        {#if typed}
          <div class="sheet scroll">
            <table class="plain">
              <thead>
                <tr
                  >{#each dataset.columns as column (column.name)}<th>{@render heading(column)}</th
                    >{/each}</tr
                >
              </thead>
            </table>
            <p class="small soft foot">What its columns are for. Press a heading to look at its column.</p>
          </div>
        {:else}
          <RowsTable
            {dataset}
            {heading}
            foot="{dataset.kind === 'live'
              ? 'The first 2,000 rows of the table, and a summary of them. '
              : ''}Press a heading to look at its column."
          />
        {/if}
      </div>
      {#if looked || opened === 'refresh' || opened === 'versions'}
        <aside>
          {#if opened === 'refresh'}<Refresh
              {dataset}
              clock={() => {
                clocked = true
                opened = null
              }}
              done={async () => {
                await load()
                opened = 'versions'
              }}
            />{/if}
          {#if opened === 'versions'}<Versions
              {dataset}
              shown={take}
              keep={(versions) => change((edit) => (edit.keep_versions = versions))}
            />{/if}
          {#if looked}<ColumnPanel
              {dataset}
              name={looked}
              change={(edit) => changeColumn(looked, edit)}
              close={() => look(null)}
            />{/if}
        </aside>
      {/if}
    </div>
    {#if dataset.kpis.length}<p class="sentence kpis">
        KPIs computed from it: {#each dataset.kpis as kpi, i (kpi.id)}{i ? ', ' : ''}<a
            class="slot"
            href="#/kpis/{kpi.id}">{kpi.name}</a
          >{/each}.
      </p>{/if}
  {:else if failed}
    <h1>Data</h1>
    <p class="note" role="alert">{failed}</p>
  {:else}
    <p class="soft">Reading…</p>
  {/if}
</main>

<style>
  .kpis {
    margin-top: 10px;
  }
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 330px;
    gap: 14px;
    align-items: start;
  }
  .two.wide {
    grid-template-columns: minmax(0, 1fr);
  }
  .main,
  aside {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 12px;
    min-width: 0;
  }
  .besides {
    padding: 10px 14px;
  }
  .scroll {
    overflow-x: auto;
  }
  @media (max-width: 900px) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
  }
  th {
    vertical-align: top;
    min-width: 122px;
    max-width: 220px;
    padding: 10px 8px 8px !important;
    font-size: 12.5px;
  }
  .foot {
    padding: 8px;
  }
</style>
