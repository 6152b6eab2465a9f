<script lang="ts">
  /** A small sheet to type in: keyboard, paste from a spreadsheet, undo. */
  import { dequal } from 'dequal'
  import { unfolded, type Unfolded } from './upload.svelte'
  import { CellGrid } from '../../parts/cellgrid.svelte'
  import { History } from '../../parts/history.svelte'

  interface Sheet {
    labels: string[]
    names: (string | null)[]
    rows: string[][]
  }
  let { sheet = $bindable() }: { sheet: Sheet } = $props()

  const ROW = 29
  let editing = $state(false)
  let text = $state('')
  const history = new History<Sheet>((step) => {
    const now = $state.snapshot(sheet) as Sheet
    sheet = step
    return now
  })
  const cell = (row: number, column: number) => sheet.rows[row]?.[column] ?? ''
  const width = $derived(sheet.labels.length)
  const grid = new CellGrid({
    rows: () => sheet.rows.length + 1, // one empty row stands ready at the end
    columns: () => width,
    height: ROW,
    text: cell,
    paste: pasteIn,
    clear: ({ top, bottom, left, right }) =>
      change((next) => {
        for (let row = top; row <= bottom && row < next.rows.length; row++)
          for (let column = left; column <= right; column++) next.rows[row]![column] = ''
      }),
    begin: (row, column, start) => {
      editing = true
      text = start ?? cell(row, column)
    },
    editing: () => editing,
    leave: () => (editing = false),
  })

  function change(make: (next: Sheet) => void) {
    const before = $state.snapshot(sheet) as Sheet
    const next = $state.snapshot(sheet) as Sheet
    make(next)
    if (dequal(before, next)) return
    history.note(before)
    sheet = next
  }
  function put(next: Sheet, row: number, column: number, value: string) {
    while (next.rows.length <= row) next.rows.push(next.labels.map(() => ''))
    while (next.labels.length <= column) addTo(next)
    next.rows[row]![column] = value
  }
  function addTo(next: Sheet) {
    next.labels.push(`Column ${next.labels.length + 1}`)
    next.names.push(null)
    next.rows.forEach((line) => line.push(''))
  }

  function commit() {
    if (!editing) return
    editing = false
    const { row, column } = grid.at
    const value = text.trim()
    if (value !== cell(row, column)) change((next) => put(next, row, column, value))
  }
  function typing(event: KeyboardEvent) {
    event.stopPropagation()
    const move = { Enter: [1, 0], Tab: [0, event.shiftKey ? -1 : 1] }[event.key]
    if (move) {
      event.preventDefault()
      const { row, column } = grid.at
      commit()
      grid.focus(row + move[0]!, column + move[1]!)
    }
    if (event.key === 'Escape') {
      editing = false
      grid.focus(grid.at.row, grid.at.column)
    }
  }
  function keys(event: KeyboardEvent) {
    if (!editing) history.keys(event)
    grid.keys(event)
  }
  /** What was pasted as rows of their own, where it is a table made for the eye. */
  let offered = $state.raw<Unfolded | null>(null)
  function unfold({ labels, rows }: Unfolded) {
    offered = null
    change((next) => {
      next.labels = labels
      next.names = labels.map(() => null)
      next.rows = rows
    })
  }
  function pasteIn(found: string[][]) {
    offered = null
    if (!sheet.rows.some((line) => line.some(Boolean)) && found.length > 1 && found[0]!.length > 1)
      void unfolded(found).then((made) => (offered = made))
    const empty = !sheet.rows.some((line) => line.some(Boolean))
    const { top: row, left: column } = grid.box
    change((next) => {
      // Into an empty sheet the first line of a table is its headings.
      const headed = empty && found.length > 1 && found[0]!.every((value) => value && isNaN(Number(value)))
      const body = headed ? found.slice(1) : found
      if (headed) {
        next.labels = [...found[0]!]
        next.names = next.labels.map(() => null)
        next.rows = []
      }
      const [top, left] = headed ? [0, 0] : [row, column]
      body.forEach((line, i) => line.forEach((value, j) => put(next, top + i, left + j, value)))
    })
  }
  const grow = (node: HTMLInputElement) => {
    node.focus()
    node.setSelectionRange(node.value.length, node.value.length)
  }
</script>

<svelte:window oncopy={grid.copy} onpaste={grid.paste} />

<div class="tools">
  <button class="act" onclick={() => change(addTo)}>Add a column</button>
  <button
    class="act"
    disabled={grid.at.row >= sheet.rows.length}
    onclick={() => change((next) => void next.rows.splice(grid.box.top, grid.box.bottom - grid.box.top + 1))}
    >Take out {grid.box.top !== grid.box.bottom
      ? `${grid.box.bottom - grid.box.top + 1} rows`
      : 'the row'}</button
  >
  <button
    class="act"
    disabled={width < 2}
    onclick={() =>
      change((next) => {
        next.labels.splice(grid.at.column, 1)
        next.names.splice(grid.at.column, 1)
        next.rows.forEach((line) => line.splice(grid.at.column, 1))
      })}>Take out “{sheet.labels[Math.min(grid.at.column, width - 1)]}”</button
  >
  <button class="act" disabled={!history.canUndo} onclick={() => history.undo()}>Undo</button>
  <button class="act" disabled={!history.canRedo} onclick={() => history.redo()}>Redo</button>
</div>
{#if offered}
  <p class="aside-note" role="status">
    {offered.said}
    <button class="act main" onclick={() => offered && unfold(offered)}
      >Make {offered.rows.length} rows of it</button
    >
    <button class="act quiet" onclick={() => (offered = null)}>Leave it as it is</button>
  </p>
{/if}
<div class="sheet scroll" bind:this={grid.bed} onkeydown={keys} tabindex="-1" role="presentation">
  <table role="grid" aria-label="Cells" aria-rowcount={sheet.rows.length + 2}>
    <thead>
      <tr>
        <th class="count" scope="col"><span class="sr-only">Row</span></th>
        {#each sheet.labels as label, column (column)}
          <th
            ><input
              class="label"
              aria-label="Heading {column + 1}"
              value={label}
              maxlength="120"
              onkeydown={(event) => event.stopPropagation()}
              onchange={(event) => {
                const value = event.currentTarget.value.trim()
                change((next) => (next.labels[column] = value))
              }}
            /></th
          >
        {/each}
      </tr>
    </thead>
    <tbody>
      {#if grid.view.first}<tr style:height="{grid.view.before}px"></tr>{/if}
      {#each grid.view.rows as row (row)}
        <tr style:height="{ROW}px">
          <th class="count soft" scope="row"
            >{#if row < sheet.rows.length}{row + 1}{:else}<span class="sr-only">new</span>{/if}</th
          >
          {#each sheet.labels as label, column (column)}
            {@const active = grid.isAt(row, column)}
            <td
              role="gridcell"
              data-cell="{row}-{column}"
              tabindex={active ? 0 : -1}
              aria-label="{label}, row {row + 1}: {cell(row, column) || 'blank'}"
              class:within={grid.within(row, column)}
              class:active
              class:number={/^[+−-]?[£$€]?[\d\s.,]+%?$/.test(cell(row, column))}
              onclick={(event) => {
                if (editing && active) return
                commit()
                grid.press(event, row, column)
              }}
              ondblclick={() => {
                editing = true
                text = cell(row, column)
              }}
            >
              {#if active && editing}<input
                  use:grow
                  aria-label="Cell"
                  bind:value={text}
                  onkeydown={typing}
                  onblur={commit}
                />{:else}{cell(row, column)}{/if}
            </td>
          {/each}
        </tr>
      {/each}
      {#if grid.view.after}<tr style:height="{grid.view.after}px"></tr>{/if}
    </tbody>
  </table>
</div>

<style>
  .tools {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    margin-bottom: 8px;
  }
  .scroll {
    overflow: auto;
    max-height: 62vh;
  }
  table {
    border-collapse: collapse;
    min-width: 100%;
    font-size: 13px;
  }
  thead th {
    position: sticky;
    top: 0;
    background: var(--sheet);
    z-index: 1;
    border-bottom: 1px solid var(--ink);
  }
  .count {
    width: 40px;
    text-align: right;
    padding: 0 8px;
    font-weight: 400;
    font-size: 11.5px;
  }
  .label {
    width: 100%;
    min-width: 110px;
    height: 30px;
    padding: 0 8px;
    border: 0;
    background: transparent;
    color: var(--ink);
    font-weight: 650;
  }
  .label:focus {
    outline: 2px solid var(--accent);
    outline-offset: -2px;
  }
  td {
    border: 1px solid var(--rule);
    padding: 0 8px;
    min-width: 110px;
    height: 28px;
    white-space: nowrap;
    max-width: 320px;
    overflow: hidden;
    text-overflow: ellipsis;
    cursor: cell;
  }
  td.number {
    text-align: right;
  }
  td.within {
    background: var(--accent-tint);
  }
  td.active {
    outline: 2px solid var(--accent);
    outline-offset: -2px;
  }
  td input {
    width: 100%;
    border: 0;
    background: transparent;
    color: var(--ink);
    outline: none;
    font-size: 13px;
  }
</style>
