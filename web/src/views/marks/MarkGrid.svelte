<script lang="ts">
  /** Members by periods, to type and paste in. Only the rows in sight are drawn. */
  import { tick } from 'svelte'
  import { api, got, words } from '../../api/client'
  import { CellGrid } from '../../parts/cellgrid.svelte'
  import AskedCell from './AskedCell.svelte'
  import type { Book } from './book.svelte'

  let { book }: { book: Book } = $props()
  const ROW = 31
  const grid = $derived(book.grid!)
  const last = $derived(grid.periods.length - 1)
  const cells = new CellGrid({
    rows: () => grid.rows.length,
    columns: () => last + 1,
    height: ROW,
    text: (row, column) => cell(row, column)?.shown ?? '',
    paste: (lines) => void pasteIn(lines),
    clear: clearChosen,
    begin: (row, column, start) => {
      edit(row, column, start)
      if (start) book.understand()
    },
    editing: () => !!book.editing,
    leave: () => (book.editing = null),
  })
  /** A column's head: one year stands in the sentence above. */
  const head = (short: string) => (grid.grain === 'year' || grid.span > 1 ? short : short.split(' ')[0])
  const told: Record<string, string> = {
    set: 'set here',
    carried: 'carried forward',
    inherited: 'inherited from a wider row',
    together: 'its members’ marks together',
    computed: 'computed',
    none: 'no mark',
  }
  const view = $derived(
    [grid.name, grid.by, grid.within?.member, grid.year.key, grid.grain, grid.span].join(),
  )
  $effect(() => {
    void view
    cells.anchor = null
  })

  const cell = (row: number, column: number) => grid.rows[row]?.cells[column]
  function clearChosen() {
    const set = cells
      .places()
      .flat()
      .filter(({ row, column }) => cell(row, column)?.kind === 'set')
    book.keep(set.map(({ row, column }) => book.changeAt(row, column, null)))
  }
  /** The first cell of each row to its right, or of each column downwards. */
  function fill(way: 'right' | 'down') {
    const changes = cells.places().flatMap((line) =>
      line.flatMap(({ row, column }) => {
        const [fromRow, fromColumn] = way === 'right' ? [row, cells.box.left] : [cells.box.top, column]
        const value = cell(fromRow, fromColumn)?.value
        return value == null || (row === fromRow && column === fromColumn)
          ? []
          : [book.changeAt(row, column, value)]
      }),
    )
    book.keep(changes)
  }
  async function pasteIn(found: string[][]) {
    if (!book.kpi) return
    const single = found.length === 1 && found[0]!.length === 1
    const wanted = single
      ? cells
          .places()
          .flat()
          .map((place) => ({ ...place, text: found[0]![0]! }))
      : found.flatMap((line, i) =>
          line.map((text, j) => ({ row: cells.box.top + i, column: cells.box.left + j, text })),
        )
    const inside = wanted.filter(
      ({ row, column, text }) => text.trim() && row < grid.rows.length && column <= last,
    )
    try {
      const path = { path: { key: book.kpi.id } }
      const texts = inside.map(({ text }) => text.trim().slice(0, 60))
      const read = await got(api.POST('/api/kpis/{key}/understand', { params: path, body: { texts } }))
      const good = inside.flatMap(({ row, column }, i) =>
        read[i]?.value == null ? [] : [book.changeAt(row, column, read[i].value)],
      )
      const kept = await book.keep(good)
      const bad = read.filter((answer) => answer.problem).length
      const outside = wanted.filter(({ text }) => text.trim()).length - inside.length
      book.report = [
        kept ? `${good.length} ${good.length === 1 ? 'mark was' : 'marks were'} pasted.` : '',
        bad ? `${bad} ${bad === 1 ? 'cell was' : 'cells were'} no number and left out.` : '',
        outside > 0 ? `${outside} fell outside of the grid and were left out.` : '',
      ]
        .filter(Boolean)
        .join(' ')
    } catch (error) {
      book.failed = words(error)
    }
  }

  function edit(row: number, column: number, start?: string) {
    cells.at = { row, column }
    book.editing = { row, column }
    book.text = start ?? cell(row, column)?.shown ?? ''
    book.said = null
    book.tried = null
    cells.anchor = null
  }
  let keeping = false
  export async function commit(sure = false) {
    // Leaving the field keeps too: what is on its way is not kept twice.
    if (!book.editing || keeping) return
    keeping = true
    try {
      await keep(sure)
    } finally {
      keeping = false
    }
  }
  async function keep(sure: boolean) {
    if (!book.editing) return
    const { row, column } = book.editing
    const held = cell(row, column)
    const text = book.text.trim()
    if (text === (held?.shown ?? '')) return leave(row, column)
    if (!text) {
      leave(row, column)
      if (held?.kind === 'set') await book.keepCell(row, column, null)
      return
    }
    const answer = await book.understand()
    if (!answer || answer.value == null || (answer.doubt && !sure)) return
    if (!(await book.keepCell(row, column, answer.value, sure))) return
    book.editing = book.said = null
    await tick()
    cells.focus(row, column)
  }
  export function leave(row = cells.at.row, column = cells.at.column) {
    book.editing = null
    book.said = null
    requestAnimationFrame(() => cells.focus(row, column))
  }
  // What is typed takes the place of what was there; what was begun by typing goes on.
  const grow = (node: HTMLInputElement) => {
    node.focus()
    void tick().then(() => {
      const { row, column } = book.editing ?? cells.at
      if (node.value === cell(row, column)?.shown) node.select()
      else node.setSelectionRange(node.value.length, node.value.length)
    })
  }
</script>

<svelte:window oncopy={cells.copy} onpaste={cells.paste} />

{#if cells.many}
  <div class="fills">
    <button class="act" onclick={() => fill('right')}>Fill right</button>
    <button class="act" onclick={() => fill('down')}>Fill down</button>
  </div>
{/if}
<div class="scroll" class:long={cells.view.many} bind:this={cells.bed}>
  <table
    onfocusin={(event) => {
      const [row, column] = (event.target as HTMLElement).dataset.cell?.split('-').map(Number) ?? []
      if (row !== undefined && column !== undefined) cells.at = { row, column }
    }}
    role="grid"
    aria-label="{grid.name} of {book.kpi?.body.name}"
    aria-rowcount={grid.rows.length + 1}
  >
    <thead
      ><tr
        ><th>{grid.by_label || 'Member'}</th>{#each grid.periods as period (period.key)}<th class="right"
            >{head(period.short)}</th
          >{/each}</tr
      ></thead
    >
    <tbody>
      {#if cells.view.first}<tr style:height="{cells.view.before}px"></tr>{/if}
      {#each cells.view.rows as row (row)}
        {@const line = grid.rows[row]!}
        <tr>
          <th scope="row" class:any={line.member === null} title={line.label}>{line.label}</th>
          {#each line.cells as held, column (column)}
            {@const active = book.editing?.row === row && book.editing.column === column}
            <td
              class="{held.kind} right"
              class:active
              class:within={cells.within(row, column)}
              role="gridcell"
              data-cell="{row}-{column}"
              tabindex={cells.isAt(row, column) ? 0 : -1}
              aria-label="{line.label}, {grid.periods[column]?.key}: {held.shown || 'none'}, {told[
                held.kind
              ]}"
              title={told[held.kind]}
              onclick={(event) => {
                if (event.shiftKey) cells.press(event, row, column)
                else if (!active) edit(row, column)
              }}
              onmousedown={(event) => event.shiftKey && event.preventDefault()}
              onkeydown={cells.keys}
            >
              {#if active}
                <input
                  use:grow
                  size="1"
                  aria-label="New {grid.name}"
                  bind:value={book.text}
                  oninput={() => book.understand()}
                  onblur={() => !book.said?.doubt && commit()}
                  onkeydown={(event) => {
                    event.stopPropagation()
                    if (event.key === 'Enter') commit()
                    if (event.key === 'Tab') {
                      event.preventDefault()
                      commit().then(() => cells.focus(row, column + (event.shiftKey ? -1 : 1)))
                    }
                    if (event.key === 'Escape') leave(row, column)
                  }}
                />
              {:else}{held.shown || '–'}{/if}
            </td>
          {/each}
        </tr>
        {#if book.editing?.row === row && (book.said?.problem || book.said?.doubt)}
          <AskedCell
            period={grid.periods[book.editing.column]?.short}
            said={book.said}
            across={grid.periods.length + 1}
            keep={() => commit(true)}
            drop={() => leave()}
          />
        {/if}
      {/each}
      {#if cells.view.after}<tr style:height="{cells.view.after}px"></tr>{/if}
    </tbody>
  </table>
</div>

<style>
  .fills {
    display: flex;
    gap: 6px;
    margin-bottom: 6px;
  }
  .scroll {
    overflow-x: auto;
  }
  .long {
    max-height: calc(100vh - 250px);
    overflow-y: auto;
  }
  .long thead th {
    position: sticky;
    top: 0;
    background: var(--sheet);
    z-index: 1;
  }
  tbody th {
    position: sticky;
    left: 0;
    background: var(--sheet);
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
  td.computed {
    color: var(--met-word);
  }
  td.together,
  td.none {
    color: var(--soft);
  }
  td.within {
    background: var(--accent-tint);
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
</style>
