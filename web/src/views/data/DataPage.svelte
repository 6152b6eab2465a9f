<script lang="ts">
  import { push } from 'svelte-spa-router'
  import { Refusal, api, got, seen, words, type Dataset, type Schemas } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import Delete from '../../parts/Delete.svelte'
  import Slot from '../../parts/Slot.svelte'

  let { params }: { params: { id: string } } = $props()
  let dataset = $state<Dataset | null>(null)
  let rows = $state<Schemas['RowsOut'] | null>(null)
  let failed = $state('')

  const ROLES: Record<string, string> = {
    period: 'the day a row belongs to',
    segment: 'splits rows into members',
    measure: 'numbers to add up',
    flag: 'yes or no, for conditions',
    text: 'not used to split',
  }

  async function load() {
    try {
      const path = { params: { path: { key: params.id } } }
      ;[dataset, rows] = await Promise.all([
        got(api.GET('/api/datasets/{key}', path)),
        got(api.GET('/api/datasets/{key}/rows', path)),
      ])
    } catch (error) {
      failed = words(error)
    }
  }
  $effect(() => {
    void params.id
    load()
  })

  async function change(edit: (change: Schemas['DatasetChange']) => void) {
    if (!dataset) return
    const body: Schemas['DatasetChange'] = {
      name: dataset.name,
      through: dataset.through ?? null,
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
  function role(name: string, to: string) {
    change((body) => {
      for (const column of body.columns) {
        // One column alone is the period: the earlier one steps back.
        if (to === 'period' && column.role === 'period') column.role = 'text'
        if (column.name === name) column.role = to as Schemas['ColumnChange']['role']
      }
    })
  }
  const problemsOf = (name: string) => dataset?.problems.filter((problem) => problem.column === name) ?? []
  const summary = (name: string) => rows?.summary.find((column) => column.name === name)
  const day = (text: string | null | undefined) =>
    text
      ? new Intl.DateTimeFormat('en-GB', { dateStyle: 'long', timeZone: 'UTC' }).format(new Date(text))
      : 'no day yet'
</script>

<main class="page">
  {#if dataset}
    <div class="top">
      <div>
        <h1>{dataset.name}</h1>
        <p class="sentence">
          {dataset.row_count.toLocaleString('en-GB')} rows from {dataset.file_name}, called
          <Slot text={dataset.name} label="Name of the dataset">
            {#snippet children(close)}
              <input
                class="type-in"
                aria-label="Name"
                value={dataset?.name}
                maxlength="120"
                onchange={(event) => {
                  const name = event.currentTarget.value
                  change((body) => (body.name = name))
                  close()
                }}
              />
            {/snippet}
          </Slot>, complete through
          <Slot text={day(dataset.through)} label="Last complete day">
            {#snippet children(close)}
              <p class="small soft">A period that runs past this day is partial.</p>
              <input
                class="type-in"
                type="date"
                aria-label="Complete through"
                value={dataset?.through ?? ''}
                onchange={(event) => {
                  const through = event.currentTarget.value
                  if (through) {
                    change((body) => (body.through = through))
                    close()
                  }
                }}
              />
            {/snippet}
          </Slot>
        </p>
      </div>
      <Delete name={dataset.name} {remove} />
      <a class="act main" href="#/kpis?new={dataset.id}">New KPI from it</a>
    </div>
    {#if failed}<p class="note" role="alert">{failed}</p>{/if}

    {#each dataset.problems.filter((problem) => !problem.column) as problem, i (i)}
      <p class="note gap">
        {problem.message}{#if problem.rows.length}{' '}<span class="soft"
            >Lines {problem.rows.join(', ')}.</span
          >{/if}
      </p>
    {/each}

    <div class="sheet scroll">
      <table class="plain">
        <thead>
          <tr>
            {#each dataset.columns as column (column.name)}
              {@const told = summary(column.name)}
              <th>
                <span class="label" title={column.label}>{column.label}</span>
                {#if column.label !== column.name}<code title="as formulas write it">{column.name}</code>{/if}
                <span class="soft plain-weight">{column.type}{', '}</span><Slot
                  text={column.role}
                  label="Role of {column.label}"
                  width={230}
                >
                  {#snippet children(close)}
                    <Choices
                      choices={Object.entries(ROLES).map(([key, note]) => ({
                        key,
                        name: key,
                        note: column.roles.includes(key as never)
                          ? note
                          : `needs ${key === 'period' ? 'dates' : key === 'measure' ? 'numbers' : 'yes/no'}`,
                        off: !column.roles.includes(key as never),
                      }))}
                      chosen={column.role}
                      choose={(to) => {
                        role(column.name, to)
                        close()
                      }}
                    />
                  {/snippet}
                </Slot>
                {#if told}
                  <span class="soft small told"
                    >{told.distinct.toLocaleString('en-GB')} distinct{told.blanks
                      ? `, ${told.blanks.toLocaleString('en-GB')} blank`
                      : ''}<br />{told.smallest === told.largest
                      ? told.smallest
                      : `${told.smallest} – ${told.largest}`}</span
                  >
                {/if}
                {#each problemsOf(column.name) as problem, i (i)}
                  <span class="note problem"
                    >{problem.message}{#if problem.rows.length}{' '}Lines {problem.rows.join(
                        ', ',
                      )}.{/if}</span
                  >
                {/each}
              </th>
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each rows?.rows ?? [] as row, i (i)}
            <tr
              >{#each row as cell, j (j)}<td
                  class:number={dataset.columns[j]?.type === 'number'}
                  class:blank={!cell}>{cell || 'blank'}</td
                >{/each}</tr
            >
          {/each}
        </tbody>
      </table>
      {#if rows}<p class="small soft foot">
          The first {rows.rows.length} of {dataset.row_count.toLocaleString('en-GB')} rows.
        </p>{/if}
    </div>
    {#if dataset.kpis.length}<p class="sentence">KPIs computed from it: {dataset.kpis.join(', ')}.</p>{/if}
  {:else if failed}
    <h1>Data</h1>
    <p class="note" role="alert">{failed}</p>
  {:else}
    <p class="soft">Reading…</p>
  {/if}
</main>

<style>
  .scroll {
    overflow-x: auto;
  }
  th {
    vertical-align: top;
    min-width: 122px;
    max-width: 220px;
    padding: 10px 8px 8px !important;
    font-size: 12.5px;
  }
  .label {
    display: block;
    color: var(--ink);
    font-size: 13.5px;
    font-weight: 650;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  code {
    display: block;
    padding: 0;
    background: none;
    color: var(--met-word);
    font-size: 11.5px;
    font-weight: 400;
  }
  .plain-weight,
  .told {
    font-weight: 400;
  }
  .told {
    display: block;
    margin-top: 4px;
    font-size: 11.5px;
    line-height: 1.35;
    overflow-wrap: anywhere;
  }
  .problem {
    display: block;
    margin-top: 5px;
    font-weight: 400;
    color: var(--ink);
    font-size: 11.5px;
  }
  td {
    white-space: nowrap;
    max-width: 220px;
    overflow: hidden;
    text-overflow: ellipsis;
    padding: 4px 8px !important;
  }
  .number {
    text-align: right;
  }
  .blank {
    color: var(--nothing);
  }
  .foot {
    padding: 8px;
  }
</style>
