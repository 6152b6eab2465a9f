<script lang="ts">
  import { push, router } from 'svelte-spa-router'
  import { Refusal, api, got, newest, seen, words, type Kpi, type Schemas } from '../../api/client'
  import { stateOf } from '../../api/states'
  import Choices from '../../parts/Choices.svelte'
  import Sign from '../../parts/Sign.svelte'
  import Slot from '../../parts/Slot.svelte'

  let { params }: { params?: { kpi?: string } } = $props()
  let kpis = $state<Kpi[] | null>(null)
  let grid = $state<Schemas['Grid'] | null>(null)
  let failed = $state('')
  let editing = $state<{ row: number; column: number } | null>(null)
  let at = $state({ row: 0, column: 0 })
  let text = $state('')
  let said = $state<Schemas['Understood'] | null>(null)
  let past = $state<Schemas['ChangeBody'][][]>([])
  let future = $state<Schemas['ChangeBody'][][]>([])
  let table = $state<HTMLElement | null>(null)
  let anchor = $state<{ row: number; column: number } | null>(null)
  let report = $state('')
  let tried = $state<Schemas['TryOut'] | null>(null)
  let turn = 0

  const query = $derived(new URLSearchParams(router.querystring ?? ''))
  const kpi = $derived(kpis?.find((known) => known.id === params?.kpi) ?? kpis?.[0])
  const name = $derived(query.get('mark') ?? grid?.names.find((mark) => mark.entries)?.name ?? 'target')
  /** A column's head: the year stands in the sentence above. */
  const head = (short: string) => (grid?.grain === 'year' ? short : short.split(' ')[0])
  const last = $derived((grid?.periods.length ?? 1) - 1)
  const whose = (member: string | null) => {
    const label = grid?.by_label.toLowerCase() || 'member'
    return member === '*' ? 'All together' : (member ?? `Any ${label}`)
  }
  const GRAINS = ['month', 'quarter', 'year', 'week'] as const

  got(api.GET('/api/kpis')).then(
    (found) => (kpis = found),
    (error) => (failed = words(error)),
  )

  async function load() {
    if (!kpi) return
    const mine = ++turn
    const year = query.get('year')
    const asked = {
      name: query.get('mark') ?? undefined,
      by: query.get('by') ?? undefined,
      year: year ? Number(year) : undefined,
      grain: GRAINS.find((known) => known === query.get('grain')),
    }
    try {
      let found = await got(
        api.GET('/api/kpis/{key}/marks', { params: { path: { key: kpi.id }, query: asked } }),
      )
      // A KPI measured against another mark than a target opens on that.
      const other = found.names.find((mark) => mark.entries)
      if (!asked.name && other && !found.names.find((mark) => mark.name === 'target')?.entries)
        found = await got(
          api.GET('/api/kpis/{key}/marks', {
            params: { path: { key: kpi.id }, query: { ...asked, name: other.name } },
          }),
        )
      if (mine === turn) {
        grid = found
        failed = ''
      }
    } catch (error) {
      failed = words(error)
      grid = null
    }
  }
  $effect(() => {
    void [kpi?.id, router.querystring]
    editing = null
    anchor = null
    report = ''
    load()
  })
  $effect(() => {
    void kpi?.id
    past = []
    future = []
  })

  function to(edit: Record<string, string>) {
    const next = new URLSearchParams(query)
    for (const [key, value] of Object.entries(edit)) next.set(key, value)
    push(`/marks/${kpi?.id}?${next}`)
  }

  async function apply(changes: Schemas['ChangeBody'][]): Promise<Schemas['ChangeBody'][] | null> {
    if (!kpi || !grid) return null
    try {
      const done = await got(
        api.POST('/api/kpis/{key}/marks', {
          params: { path: { key: kpi.id }, header: seen(grid.version) },
          body: { changes },
        }),
      )
      await load()
      return done.back
    } catch (error) {
      const stale = error instanceof Refusal && error.problem.status === 412
      if (stale) await load()
      failed = stale
        ? 'The mark book was changed elsewhere meanwhile. It was loaded again; make your change once more.'
        : words(error)
      return null
    }
  }
  const changeAt = (row: number, column: number, value: number | null): Schemas['ChangeBody'] => {
    const member = grid?.rows[row]?.member ?? null
    return {
      name: grid?.name ?? name,
      segment: member === null || member === '*' ? member : (grid?.by ?? null),
      member,
      since: grid?.periods[column]?.key ?? '',
      value,
    }
  }
  async function keep(changes: Schemas['ChangeBody'][]) {
    const back = changes.length ? await apply(changes) : null
    if (!back) return
    past = [...past, back]
    future = []
  }
  const set = (row: number, column: number, value: number | null) => keep([changeAt(row, column, value)])

  /** The cells between where a selection began and where it is now. */
  const chosen = $derived.by(() => {
    const from = anchor ?? at
    const [top, bottom] = [Math.min(from.row, at.row), Math.max(from.row, at.row)]
    const [left, right] = [Math.min(from.column, at.column), Math.max(from.column, at.column)]
    return { top, bottom, left, right, many: top !== bottom || left !== right }
  })
  const within = (row: number, column: number) =>
    chosen.many &&
    row >= chosen.top &&
    row <= chosen.bottom &&
    column >= chosen.left &&
    column <= chosen.right
  const cells = () =>
    Array.from({ length: chosen.bottom - chosen.top + 1 }, (_, i) =>
      Array.from({ length: chosen.right - chosen.left + 1 }, (_, j) => ({
        row: chosen.top + i,
        column: chosen.left + j,
      })),
    )
  function clearChosen() {
    const set = cells()
      .flat()
      .filter(({ row, column }) => grid?.rows[row]?.cells[column]?.kind === 'set')
    keep(set.map(({ row, column }) => changeAt(row, column, null)))
  }
  /** The first cell of each row to its right, or of each column downwards. */
  function fill(way: 'right' | 'down') {
    const changes = cells().flatMap((line) =>
      line.flatMap(({ row, column }) => {
        const [fromRow, fromColumn] = way === 'right' ? [row, chosen.left] : [chosen.top, column]
        const value = grid?.rows[fromRow]?.cells[fromColumn]?.value
        return value == null || (row === fromRow && column === fromColumn)
          ? []
          : [changeAt(row, column, value)]
      }),
    )
    keep(changes)
  }
  function copyOut(event: ClipboardEvent) {
    if (editing || !grid) return
    const lines = cells().map((line) =>
      line.map(({ row, column }) => grid?.rows[row]?.cells[column]?.shown ?? '').join('\t'),
    )
    event.clipboardData?.setData('text/plain', lines.join('\n'))
    event.preventDefault()
  }
  async function pasteIn(event: ClipboardEvent) {
    const pasted = event.clipboardData?.getData('text/plain') ?? ''
    if (editing || !grid || !kpi || !pasted.trim()) return
    event.preventDefault()
    const lines = pasted
      .replace(/\r/g, '')
      .replace(/\n+$/, '')
      .split('\n')
      .map((line) => line.split('\t'))
    const single = lines.length === 1 && lines[0]!.length === 1
    const wanted = single
      ? cells()
          .flat()
          .map((cell) => ({ ...cell, text: lines[0]![0]! }))
      : lines.flatMap((line, i) =>
          line.map((text, j) => ({ row: chosen.top + i, column: chosen.left + j, text })),
        )
    const inside = wanted.filter(
      ({ row, column, text }) => text.trim() && row < grid!.rows.length && column <= last,
    )
    try {
      const path = { path: { key: kpi.id } }
      const texts = inside.map(({ text }) => text.trim().slice(0, 60))
      const read = await got(api.POST('/api/kpis/{key}/understand', { params: path, body: { texts } }))
      const good = inside.flatMap(({ row, column }, i) =>
        read[i]?.value == null ? [] : [changeAt(row, column, read[i].value)],
      )
      await keep(good)
      const bad = read.filter((answer) => answer.problem).length
      const outside = wanted.filter(({ text }) => text.trim()).length - inside.length
      const doubt = read.find((answer) => answer.doubt)?.doubt
      report = [
        `${good.length} ${good.length === 1 ? 'mark was' : 'marks were'} pasted.`,
        bad ? `${bad} ${bad === 1 ? 'cell was' : 'cells were'} no number and left out.` : '',
        outside > 0 ? `${outside} fell outside of the grid and were left out.` : '',
        doubt ? `Look again: ${doubt} Undo takes the paste back.` : '',
      ]
        .filter(Boolean)
        .join(' ')
    } catch (error) {
      failed = words(error)
    }
  }

  /** What the mark being typed would change, asked for while it is typed. */
  const tryOut = newest(async (changes: Schemas['ChangeBody'][]) => {
    if (!kpi) return
    const body = { changes, by: grid?.by ?? null }
    try {
      tried = await got(api.POST('/api/kpis/{key}/marks/try', { params: { path: { key: kpi.id } }, body }))
    } catch {
      tried = null // the edit itself will say what is wrong
    }
  })
  async function undo() {
    const step = past.at(-1)
    const back = step && (await apply(step))
    if (back) {
      past = past.slice(0, -1)
      future = [...future, back]
    }
  }
  async function redo() {
    const step = future.at(-1)
    const back = step && (await apply(step))
    if (back) {
      future = future.slice(0, -1)
      past = [...past, back]
    }
  }

  function focus(row: number, column: number) {
    if (!grid) return
    at = {
      row: Math.min(grid.rows.length - 1, Math.max(0, row)),
      column: Math.min(last, Math.max(0, column)),
    }
    table?.querySelector<HTMLElement>(`[data-cell="${at.row}-${at.column}"]`)?.focus()
  }
  function edit(row: number, column: number, start?: string) {
    at = { row, column }
    editing = { row, column }
    text = start ?? grid?.rows[row]?.cells[column]?.shown ?? ''
    said = null
    tried = null
    anchor = null
  }
  async function understand() {
    if (!text.trim() || !kpi) return (said = null)
    const asked = text
    const body = { text: asked, kpi: kpi.id, unit: kpi.body.unit } as Schemas['UnderstandAsk']
    try {
      const answer = await got(api.POST('/api/kpis/understand', { body }))
      if (asked === text) {
        said = answer
        tried = null
        if (editing && answer.value != null) tryOut([changeAt(editing.row, editing.column, answer.value)])
      }
      return answer
    } catch (error) {
      failed = words(error)
      return null
    }
  }
  async function commit(sure = false) {
    if (!editing || !grid) return
    const { row, column } = editing
    const cell = grid.rows[row]?.cells[column]
    if (text.trim() === (cell?.shown ?? '')) return leave(row, column)
    if (!text.trim()) {
      leave(row, column)
      return cell?.kind === 'set' ? set(row, column, null) : undefined
    }
    const answer = await understand()
    if (!answer || answer.value == null || (answer.doubt && !sure)) return
    leave(row, column)
    await set(row, column, answer.value)
    focus(row, column)
  }
  function leave(row: number, column: number) {
    editing = null
    said = null
    requestAnimationFrame(() => focus(row, column))
  }
  function keys(event: KeyboardEvent, row: number, column: number) {
    const step = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] }[event.key]
    if (step) {
      event.preventDefault()
      anchor = event.shiftKey ? (anchor ?? { row, column }) : null
      focus(row + step[0]!, column + step[1]!)
    } else if (event.key === 'Enter' || event.key === 'F2') {
      event.preventDefault()
      edit(row, column)
    } else if (event.key === 'Delete' || event.key === 'Backspace') {
      clearChosen()
    } else if (event.key.length === 1 && !event.ctrlKey && !event.metaKey && !event.altKey) {
      event.preventDefault()
      edit(row, column, event.key)
      understand()
    }
  }
  function undoKeys(event: KeyboardEvent) {
    if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z' || editing) return
    event.preventDefault()
    void (event.shiftKey ? redo() : undo())
  }
  const told = {
    set: 'set here',
    carried: 'carried forward',
    inherited: 'inherited from any',
    none: 'no mark',
  }
  const grow = (node: HTMLInputElement) => {
    node.focus()
    node.setSelectionRange(node.value.length, node.value.length)
  }
</script>

<svelte:window onkeydown={undoKeys} oncopy={copyOut} onpaste={pasteIn} />

<main class="page">
  <div class="top">
    <div>
      <h1>Mark book</h1>
      {#if kpi && grid}
        <p class="sentence">
          Editing <Slot text={grid.name} label="Mark">
            {#snippet children(close)}
              <Choices
                choices={grid?.names.map((mark) => ({
                  key: mark.name,
                  name: mark.name,
                  note: `${mark.entries} entries`,
                })) ?? []}
                chosen={grid?.name}
                choose={(mark) => {
                  to({ mark })
                  close()
                }}
              />
              <form
                class="own"
                onsubmit={(event) => {
                  event.preventDefault()
                  const mark = String(new FormData(event.currentTarget).get('mark') ?? '')
                    .trim()
                    .toLowerCase()
                  if (mark) {
                    to({ mark })
                    close()
                  }
                }}
              >
                <input
                  class="type-in"
                  name="mark"
                  placeholder="another mark"
                  aria-label="Another mark"
                  maxlength="40"
                />
              </form>
            {/snippet}
          </Slot> of <Slot text={kpi.body.name} label="KPI">
            {#snippet children(close)}
              <Choices
                choices={kpis?.map((known) => ({ key: known.id, name: known.body.name })) ?? []}
                chosen={kpi?.id}
                choose={(id) => {
                  push(`/marks/${id}`)
                  close()
                }}
              />
            {/snippet}
          </Slot>{#if grid.by}{' by '}<Slot text={grid.by_label.toLowerCase()} label="Segment">
              {#snippet children(close)}
                <Choices
                  choices={grid?.segments.map((segment) => ({ key: segment, name: segment })) ?? []}
                  chosen={grid?.by}
                  choose={(segment) => {
                    to({ by: segment })
                    close()
                  }}
                />
              {/snippet}
            </Slot>{/if} and <Slot text={grid.grain} label="Grain">
            {#snippet children(close)}
              <Choices
                choices={GRAINS.map((known) => ({ key: known, name: known }))}
                chosen={grid?.grain}
                choose={(known) => {
                  to({ grain: known })
                  close()
                }}
              />
            {/snippet}
          </Slot> for <Slot text={grid.year.label} label="Year">
            {#snippet children(close)}
              <Choices
                choices={grid?.years.map((year) => ({ key: year.key, name: year.label })) ?? []}
                chosen={grid?.year.key}
                choose={(year) => {
                  to({ year })
                  close()
                }}
              />
            {/snippet}
          </Slot>
        </p>
      {/if}
    </div>
    {#if chosen.many}
      <button class="act" onclick={() => fill('right')}>Fill right</button>
      <button class="act" onclick={() => fill('down')}>Fill down</button>
    {/if}
    <button class="act" disabled={!past.length} onclick={undo}>Undo</button>
    <button class="act" disabled={!future.length} onclick={redo}>Redo</button>
  </div>
  {#if failed}<p class="note gap" role="alert">
      {failed} <button class="act quiet" onclick={load}>Load again</button>
    </p>{/if}
  {#if report}<p class="aside-note gap" role="status">{report}</p>{/if}
  {#if kpis && !kpis.length}
    <p class="sentence">Marks belong to a KPI. Write a <a class="link" href="#/kpis">KPI</a> first.</p>
  {:else if grid}
    <div class="two">
      <div class="sheet pad" bind:this={table}>
        <table role="grid" aria-label="{grid.name} of {kpi?.body.name}">
          <thead
            ><tr
              ><th>{grid.by_label || 'Member'}</th>{#each grid.periods as period (period.key)}<th
                  class="right">{head(period.short)}</th
                >{/each}</tr
            ></thead
          >
          <tbody>
            {#each grid.rows as line, row (line.member ?? '')}
              <tr>
                <th
                  scope="row"
                  class:any={line.member === null || line.member === '*'}
                  title={whose(line.member)}>{whose(line.member)}</th
                >
                {#each line.cells as cell, column (column)}
                  <td
                    class="{cell.kind} right"
                    class:active={editing?.row === row && editing.column === column}
                    class:within={within(row, column)}
                    role="gridcell"
                    data-cell="{row}-{column}"
                    tabindex={at.row === row && at.column === column ? 0 : -1}
                    aria-label="{line.member ?? 'any'}, {grid.periods[column]?.key}: {cell.shown ||
                      'none'}, {told[cell.kind]}"
                    title={told[cell.kind]}
                    onclick={(event) => {
                      if (event.shiftKey) {
                        anchor ??= { ...at }
                        focus(row, column)
                      } else if (editing?.row !== row || editing.column !== column) edit(row, column)
                    }}
                    onmousedown={(event) => event.shiftKey && event.preventDefault()}
                    onfocus={() => (at = { row, column })}
                    onkeydown={(event) => !editing && keys(event, row, column)}
                  >
                    {#if editing?.row === row && editing.column === column}
                      <input
                        use:grow
                        size="1"
                        aria-label="New {grid.name}"
                        bind:value={text}
                        oninput={understand}
                        onblur={() => !said?.doubt && commit()}
                        onkeydown={(event) => {
                          event.stopPropagation()
                          if (event.key === 'Enter') commit()
                          if (event.key === 'Tab') {
                            event.preventDefault()
                            commit().then(() => focus(row, column + (event.shiftKey ? -1 : 1)))
                          }
                          if (event.key === 'Escape') leave(row, column)
                        }}
                      />
                    {:else}{cell.shown || '–'}{/if}
                  </td>
                {/each}
              </tr>
            {/each}
          </tbody>
        </table>
        <p class="small soft legend">
          <b>Bold</b>: set here, in force from there on. Upright: carried forward, or for another length of
          period.
          <i>Italic: inherited from “Any”.</i>
          {#if kpi?.body.unit?.kind === 'percent'}Type 88, 88% or 0.88; the KPI is a percent, so all three
            mean 88%.{/if}
          Delete takes an entry out. Paste from a spreadsheet where you stand; Shift with the arrows selects.
        </p>
      </div>
      <aside class="sheet pad">
        <h3>Coverage</h3>
        <p class="figure">{grid.covered} of {grid.coverable}</p>
        <p class="small soft">member-months have a {grid.name}. Without one a reading is not graded.</p>
        {#if editing}
          <hr />
          <h3>What you typed</h3>
          <div class="small" aria-live="polite">
            {#if said?.problem}<p class="wrong">{said.problem}</p>
            {:else if said?.doubt}<p class="wrong">{said.doubt}</p>
              <button
                class="act"
                onmousedown={(event) => {
                  event.preventDefault()
                  commit(true)
                }}>Keep {said.shown}</button
              >
              <button
                class="act quiet"
                onmousedown={(event) => {
                  event.preventDefault()
                  if (editing) leave(editing.row, editing.column)
                }}>Drop it</button
              >
            {:else if said}<p>
                Read as <b>{said.shown}</b> from {grid.periods[editing.column]?.short} on.
              </p>
            {:else}<p class="soft">Enter keeps it, Escape drops it.</p>{/if}
          </div>
        {/if}
        {#if editing && tried?.yardstick}
          <hr />
          <h3>What this edit changes</h3>
          {#if tried.count}
            <p class="small soft">
              {tried.count}
              {tried.count === 1 ? 'reading changes' : 'readings change'} state, graded by {tried.yardstick}
            </p>
            <table class="plain">
              <tbody>
                {#each tried.changes as change (change.label + change.period)}
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
            <p class="small soft">No reading so far changes state, graded by {tried.yardstick}.</p>
          {/if}
        {/if}
        <hr />
        <h3>Marks of this KPI</h3>
        {#each grid.names as mark (mark.name)}
          <button class="mark-row" class:on={mark.name === grid.name} onclick={() => to({ mark: mark.name })}
            ><span>{mark.name}</span><span class="soft"
              >{mark.entries} {mark.entries === 1 ? 'entry' : 'entries'}</span
            ></button
          >
        {/each}
      </aside>
    </div>
  {:else if !failed}
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
  table {
    width: 100%;
    border-collapse: collapse;
  }
  thead th {
    color: var(--soft);
    font-size: 12.5px;
    font-weight: 600;
    border-bottom: 1px solid var(--ink);
    padding: 4px 6px;
    text-align: left;
  }
  tbody th {
    text-align: left;
    font-weight: 450;
    padding: 0 6px;
    white-space: nowrap;
    max-width: 190px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  tbody th.any {
    font-weight: 650;
  }
  .right {
    text-align: right !important;
  }
  td {
    height: 31px;
    padding: 0 6px;
    border-bottom: 1px solid var(--rule);
    cursor: cell;
    min-width: 56px;
    white-space: nowrap;
  }
  tbody tr {
    border-bottom: 1px solid var(--rule);
  }
  td:hover {
    box-shadow: inset 0 0 0 1px var(--accent);
  }
  td:focus-visible {
    outline: 2px solid var(--accent);
    outline-offset: -2px;
  }
  td.set {
    font-weight: 680;
    background: color-mix(in srgb, var(--sheet) 40%, white 60%);
  }
  :global([data-mode='dark']) td.set {
    background: var(--accent-tint);
  }
  td.inherited {
    font-style: italic;
    color: var(--soft);
    font-synthesis: style;
  }
  td.none {
    color: var(--soft);
  }
  td.within {
    background: var(--accent-tint);
  }
  .steps {
    white-space: nowrap;
  }
  td.active {
    outline: 2px solid var(--accent);
    padding: 0;
  }
  td input {
    width: 100%;
    min-width: 0;
    height: 29px;
    border: 0;
    padding: 0 6px;
    text-align: right;
    background: var(--sheet);
    color: var(--ink);
    outline: none;
    font-weight: 650;
    font-size: 13.5px;
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
  .own {
    padding: 6px 4px 2px;
  }
  @media (max-width: 1000px) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
