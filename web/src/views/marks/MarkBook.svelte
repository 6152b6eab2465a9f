<script lang="ts">
  import { push, router } from 'svelte-spa-router'
  import { api, got, words, type Kpi } from '../../api/client'
  import { stateOf } from '../../api/states.svelte'
  import Sign from '../../parts/Sign.svelte'
  import ManyMarks from './ManyMarks.svelte'
  import MarkGrid from './MarkGrid.svelte'
  import MarkSentence, { GRAINS } from './MarkSentence.svelte'
  import { Book } from './book.svelte'

  let { params }: { params?: { kpi?: string } } = $props()
  const book = new Book()
  let kpis = $state<Kpi[] | null>(null)
  let gone = $state('')
  let many = $state<'spread' | 'raise' | 'computed' | 'sheet' | null>(null)
  let cells = $state<ReturnType<typeof MarkGrid> | null>(null)

  const query = $derived(new URLSearchParams(router.querystring ?? ''))
  const kpi = $derived(kpis?.find((known) => known.id === params?.kpi) ?? kpis?.[0])
  const grid = $derived(book.grid)

  got(api.GET('/api/kpis')).then(
    (found) => (kpis = found),
    (error) => (gone = words(error)),
  )
  $effect(() => {
    if (!kpi) return
    many = null
    book.open(kpi, {
      mark: query.get('mark') ?? undefined,
      by: query.get('by') ?? undefined,
      within: query.get('within') ?? undefined,
      member: query.get('member') ?? undefined,
      year: query.get('year') ?? undefined,
      grain: GRAINS.find((known) => known === query.get('grain')),
      span: Number(query.get('years')) || undefined,
    })
  })

  /** Of a sum one figure is each member's or all together's: what it would come to either way. */
  const either = $derived.by(() => {
    const said = book.said
    const held = book.editing ? grid?.rows[book.editing.row] : undefined
    if (!grid?.adds || !said?.together || (held?.whose !== 'each' && held?.whose !== 'together')) return null
    const each = grid.rows.findIndex((row) => row.whose === 'each')
    const together = grid.rows.findIndex((row) => row.whose === 'together')
    if (each < 0 || together < 0) return null
    return [
      { row: each, name: `each of the ${book.members}: together ${said.together}` },
      { row: together, name: `all together: ${said.shown}` },
    ]
  })

  function to(edit: Record<string, string>) {
    const next = new URLSearchParams(query)
    for (const [key, value] of Object.entries(edit))
      if (value) next.set(key, value)
      else next.delete(key)
    push(`/marks/${kpi?.id}?${next}`)
  }
  const MANY = [
    ['spread', 'Spread a yearly figure'],
    ['raise', 'Last year and more'],
    ['computed', 'Compute'],
    ['sheet', 'Sheets'],
  ] as const
</script>

<svelte:window onkeydown={book.history.keys} />

<main class="page">
  <div class="top">
    <div>
      <h1>Mark book</h1>
      {#if kpi && grid}
        <MarkSentence {kpi} kpis={kpis ?? []} {grid} {to} />
      {/if}
    </div>
    {#if grid}
      {#each MANY as [what, name] (what)}
        <button class="act" aria-pressed={many === what} onclick={() => (many = many === what ? null : what)}
          >{name}</button
        >
      {/each}
    {/if}
    <button class="act" disabled={!book.history.canUndo} onclick={() => book.history.undo()}>Undo</button>
    <button class="act" disabled={!book.history.canRedo} onclick={() => book.history.redo()}>Redo</button>
  </div>
  {#if gone || book.failed}<p class="note gap" role="alert">
      {gone || book.failed} <button class="act quiet" onclick={book.load}>Load again</button>
    </p>{/if}
  {#if book.asked}
    <p class="note gap" role="alert">
      {book.asked.detail}
      <button class="act" onclick={() => book.asked && book.keep(book.asked.changes, true)}>Keep it</button>
      <button class="act quiet" onclick={() => (book.asked = null)}>Drop it</button>
    </p>
  {/if}
  {#if book.report}<p class="aside-note gap" role="status">{book.report}</p>{/if}
  {#if many && grid}{#key many}<ManyMarks {book} what={many} close={() => (many = null)} />{/key}{/if}
  {#if kpis && !kpis.length}
    <p class="sentence">Marks belong to a KPI. Write a <a class="link" href="#/kpis">KPI</a> first.</p>
  {:else if grid}
    <div class="two">
      <div class="sheet pad">
        <MarkGrid bind:this={cells} {book} />
        <p class="small soft legend">
          <b>Bold</b>: set here, in force from there on. Upright: carried forward, or for another length of
          period.
          <i>Italic: inherited from a wider row.</i> Grey: {grid.adds
            ? 'its members’ marks added up.'
            : 'the mean of its members’ marks, weighted.'}
          {#if grid.formula}<span class="computed">Green: computed by {grid.formula}.</span>{/if}
          {#if kpi?.body.unit?.kind === 'percent'}Type 88, 88% or 0.88; the KPI is a percent, so all three
            mean 88%.{/if}
          Delete takes an entry out. Paste from a spreadsheet where you stand; Shift with the arrows selects.
        </p>
      </div>
      <aside class="sheet pad">
        <h2 class="minor">Coverage</h2>
        <p class="figure">{grid.covered} of {grid.coverable}</p>
        <p class="small soft">
          member-{grid.grain}s have a {grid.name}. Without one a reading is not graded.
        </p>
        {#if book.editing}
          <hr />
          <h2 class="minor">What you typed</h2>
          <div class="small" aria-live="polite">
            {#if book.said?.problem || book.said?.doubt}<p class="soft">See below the cell.</p>
            {:else if book.said}<p>
                Read as <b>{book.said.shown}</b> for {grid.rows[book.editing.row]?.label.toLowerCase()}, from {grid
                  .periods[book.editing.column]?.short} on.
              </p>
              {#if either}
                <p class="soft">One figure could be either:</p>
                {#each either as choice (choice.row)}
                  <button
                    class="act choice"
                    aria-pressed={choice.row === book.editing.row}
                    onmousedown={(event) => {
                      event.preventDefault()
                      if (book.editing) book.editing = { ...book.editing, row: choice.row }
                      cells?.commit()
                    }}>{choice.name}</button
                  >
                {/each}
              {/if}
            {:else}<p class="soft">Enter keeps it, Escape drops it.</p>{/if}
          </div>
        {/if}
        {#if book.editing && book.tried?.yardstick}
          <hr />
          <h2 class="minor">What this edit changes</h2>
          {#if book.tried.count}
            <p class="small soft">
              {book.tried.count}
              {book.tried.count === 1 ? 'reading changes' : 'readings change'} state, graded by {book.tried
                .yardstick}
            </p>
            <table class="plain">
              <tbody>
                {#each book.tried.changes as change (change.label + change.period)}
                  <tr>
                    <td>{change.label}<br /><span class="soft">{change.period}, {change.shown}</span></td>
                    <td class="steps"
                      ><Sign state={change.before} /> → <Sign state={change.after} />
                      {stateOf(change.after)?.name ?? 'not graded'}</td
                    >
                  </tr>
                {/each}
              </tbody>
            </table>
          {:else}
            <p class="small soft">No reading so far changes state, graded by {book.tried.yardstick}.</p>
          {/if}
        {/if}
        {#if book.editing && book.tried?.chances.length}
          <p class="small soft chance">
            Nothing changed, it would be <b>{book.tried.chances[0]}</b>, by its usual variation alone. {book.tried.chances
              .slice(1)
              .join(' ')}
          </p>
        {/if}
        <hr />
        <h2 class="minor">Marks of this KPI</h2>
        {#each grid.names as mark (mark.name)}
          <button class="mark-row" class:on={mark.name === grid.name} onclick={() => to({ mark: mark.name })}
            ><span>{mark.name}</span><span class="soft"
              >{mark.formula ? 'computed' : ''}{mark.formula && mark.entries ? ', ' : ''}{mark.entries ||
              !mark.formula
                ? `${mark.entries} ${mark.entries === 1 ? 'entry' : 'entries'}`
                : ''}</span
            ></button
          >
        {/each}
      </aside>
    </div>
  {:else if !gone && !book.failed}
    <p class="soft">Reading…</p>
  {/if}
</main>

<style>
  aside table td {
    height: auto;
    cursor: default;
    white-space: normal;
  }
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 270px;
    gap: 14px;
    align-items: start;
  }
  .pad {
    padding: 10px 12px;
    overflow-x: auto;
  }
  .choice {
    display: block;
    width: 100%;
    margin-top: 4px;
    text-align: left;
  }
  .choice[aria-pressed='true'] {
    border-color: var(--accent);
    background: var(--accent-tint);
  }
  .computed {
    color: var(--met-word);
  }
  .steps {
    white-space: nowrap;
  }
  .legend {
    margin-top: 10px;
  }
  aside .figure {
    font-size: 27px;
    margin: 4px 0 2px;
  }
  hr {
    border: 0;
    border-top: 1px solid var(--rule);
    margin: 12px 0;
  }
  .mark-row {
    display: flex;
    justify-content: space-between;
    width: 100%;
    padding: 5px 4px;
    border-bottom: 1px solid var(--rule);
    text-align: left;
    cursor: pointer;
  }
  .mark-row:hover {
    background: var(--accent-tint);
  }
  .mark-row.on {
    font-weight: 650;
  }
  @media (max-width: 1000px) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
