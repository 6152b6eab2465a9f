<script lang="ts">
  /** A small sheet to type in: keyboard, paste from a spreadsheet, undo. */
  interface Sheet {
    labels: string[]
    names: (string | null)[]
    rows: string[][]
  }
  let { sheet = $bindable() }: { sheet: Sheet } = $props()

  const ROW = 29
  let at = $state({ row: 0, column: 0 })
  let anchor = $state<{ row: number; column: number } | null>(null)
  let editing = $state(false)
  let text = $state('')
  let past = $state<Sheet[]>([])
  let future = $state<Sheet[]>([])
  let table = $state<HTMLElement | null>(null)
  let top = $state(0)
  let height = $state(400)

  const width = $derived(sheet.labels.length)
  // One empty row stands ready at the end.
  const lines = $derived(sheet.rows.length + 1)
  const first = $derived(Math.max(0, Math.floor(top / ROW) - 8))
  const last = $derived(Math.min(lines, Math.ceil((top + height) / ROW) + 8))
  const shown = $derived(Array.from({ length: last - first }, (_, i) => first + i))
  const box = $derived.by(() => {
    const from = anchor ?? at
    return {
      top: Math.min(from.row, at.row),
      bottom: Math.max(from.row, at.row),
      left: Math.min(from.column, at.column),
      right: Math.max(from.column, at.column),
    }
  })
  const within = (row: number, column: number) =>
    !!anchor && row >= box.top && row <= box.bottom && column >= box.left && column <= box.right
  const cell = (row: number, column: number) => sheet.rows[row]?.[column] ?? ''

  function change(make: (next: Sheet) => void) {
    const before = $state.snapshot(sheet) as Sheet
    const next = $state.snapshot(sheet) as Sheet
    make(next)
    if (JSON.stringify(before) === JSON.stringify(next)) return
    past = [...past.slice(-99), before]
    future = []
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
  function step(from: Sheet[], to: Sheet[]): [Sheet[], Sheet[]] {
    const next = from.at(-1)
    if (!next) return [from, to]
    const now = $state.snapshot(sheet) as Sheet
    sheet = next
    return [from.slice(0, -1), [...to, now]]
  }
  const undo = () => ([past, future] = step(past, future))
  const redo = () => ([future, past] = step(future, past))

  function focus(row: number, column: number) {
    at = {
      row: Math.min(lines - 1, Math.max(0, row)),
      column: Math.min(width - 1, Math.max(0, column)),
    }
    const scroller = table
    if (scroller) {
      if (at.row * ROW < scroller.scrollTop) scroller.scrollTop = at.row * ROW
      else if ((at.row + 2) * ROW > scroller.scrollTop + height)
        scroller.scrollTop = (at.row + 2) * ROW - height
    }
    // At once where the cell is drawn, so that the next key comes to it.
    const find = () => table?.querySelector<HTMLElement>(`[data-cell="${at.row}-${at.column}"]`)
    if (find()) find()?.focus()
    else requestAnimationFrame(() => find()?.focus())
  }
  function begin(start?: string) {
    editing = true
    anchor = null
    text = start ?? cell(at.row, at.column)
  }
  function commit() {
    if (!editing) return
    editing = false
    const { row, column } = at
    const value = text.trim()
    if (value !== cell(row, column)) change((next) => put(next, row, column, value))
  }
  function typing(event: KeyboardEvent) {
    event.stopPropagation()
    const move = { Enter: [1, 0], Tab: [0, event.shiftKey ? -1 : 1] }[event.key]
    if (move) {
      event.preventDefault()
      const { row, column } = at
      commit()
      focus(row + move[0]!, column + move[1]!)
    }
    if (event.key === 'Escape') {
      editing = false
      focus(at.row, at.column)
    }
  }
  function keys(event: KeyboardEvent) {
    if (editing) return
    const move = {
      ArrowLeft: [0, -1],
      ArrowRight: [0, 1],
      ArrowUp: [-1, 0],
      ArrowDown: [1, 0],
      PageDown: [12, 0],
      PageUp: [-12, 0],
    }[event.key]
    const command = event.ctrlKey || event.metaKey
    if (move) {
      event.preventDefault()
      anchor = event.shiftKey ? (anchor ?? { ...at }) : null
      focus(at.row + move[0]!, at.column + move[1]!)
    } else if (event.key === 'Enter' || event.key === 'F2') {
      event.preventDefault()
      begin()
    } else if (event.key === 'Delete' || event.key === 'Backspace') {
      const { top, bottom, left, right } = box
      change((next) => {
        for (let row = top; row <= bottom && row < next.rows.length; row++)
          for (let column = left; column <= right; column++) next.rows[row]![column] = ''
      })
    } else if (command && event.key.toLowerCase() === 'z') {
      event.preventDefault()
      if (event.shiftKey) redo()
      else undo()
    } else if (event.key.length === 1 && !command && !event.altKey) {
      event.preventDefault()
      begin(event.key)
    }
  }
  /** Copying and pasting in a field is that field's own. */
  const elsewhere = (event: Event) =>
    !!(event.target as HTMLElement | null)?.closest?.('input, textarea, [role="dialog"]')
  function copyOut(event: ClipboardEvent) {
    if (editing || elsewhere(event)) return
    const found = []
    for (let row = box.top; row <= box.bottom; row++)
      found.push(sheet.labels.slice(box.left, box.right + 1).map((_, i) => cell(row, box.left + i)))
    event.clipboardData?.setData('text/plain', found.map((line) => line.join('\t')).join('\n'))
    event.preventDefault()
  }
  function pasteIn(event: ClipboardEvent) {
    const pasted = event.clipboardData?.getData('text/plain') ?? ''
    // A block goes into cells, also where one of them is just being typed in.
    const block = /[\t\n]/.test(pasted.trim())
    if (!pasted.trim() || (elsewhere(event) && !(editing && block))) return
    editing = false
    event.preventDefault()
    const found = pasted
      .replace(/\r/g, '')
      .replace(/\n+$/, '')
      .split('\n')
      .map((line) => line.split('\t').map((value) => value.trim()))
    const empty = !sheet.rows.some((line) => line.some(Boolean))
    const { row, column } = at
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

<svelte:window oncopy={copyOut} onpaste={pasteIn} />

<div class="tools">
  <button class="act" onclick={() => change(addTo)}>Add a column</button>
  <button
    class="act"
    disabled={at.row >= sheet.rows.length}
    onclick={() => change((next) => void next.rows.splice(box.top, box.bottom - box.top + 1))}
    >Take out {anchor && box.top !== box.bottom ? `${box.bottom - box.top + 1} rows` : 'the row'}</button
  >
  <button
    class="act"
    disabled={width < 2}
    onclick={() =>
      change((next) => {
        next.labels.splice(at.column, 1)
        next.names.splice(at.column, 1)
        next.rows.forEach((line) => line.splice(at.column, 1))
      })}>Take out “{sheet.labels[Math.min(at.column, width - 1)]}”</button
  >
  <button class="act" disabled={!past.length} onclick={undo}>Undo</button>
  <button class="act" disabled={!future.length} onclick={redo}>Redo</button>
</div>
<div
  class="sheet scroll"
  bind:this={table}
  bind:clientHeight={height}
  onscroll={() => (top = table?.scrollTop ?? 0)}
  onkeydown={keys}
  role="grid"
  tabindex="-1"
  aria-label="Cells"
  aria-rowcount={lines + 1}
>
  <table>
    <thead>
      <tr>
        <th class="count"></th>
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
      {#if first}<tr style:height="{first * ROW}px"></tr>{/if}
      {#each shown as row (row)}
        <tr style:height="{ROW}px">
          <th class="count soft" scope="row">{row < sheet.rows.length ? row + 1 : ''}</th>
          {#each sheet.labels as label, column (column)}
            {@const active = at.row === row && at.column === column}
            <td
              role="gridcell"
              data-cell="{row}-{column}"
              tabindex={active ? 0 : -1}
              aria-label="{label}, row {row + 1}: {cell(row, column) || 'blank'}"
              class:within={within(row, column)}
              class:active
              class:number={/^[+−-]?[£$€]?[\d\s.,]+%?$/.test(cell(row, column))}
              onclick={(event) => {
                if (editing && active) return
                commit()
                anchor = event.shiftKey ? (anchor ?? { ...at }) : null
                focus(row, column)
              }}
              ondblclick={() => begin()}
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
      {#if last < lines}<tr style:height="{(lines - last) * ROW}px"></tr>{/if}
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
