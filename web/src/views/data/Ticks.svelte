<script lang="ts">
  /** A checklist as boxes to tick: items down, named steps across, as of a day. */
  import { CellGrid } from '../../parts/cellgrid.svelte'

  interface Props {
    items: string[]
    steps: string[]
    done: boolean[][]
    change: (edit: { items?: string[]; steps?: string[]; done: boolean[][] }) => void
  }
  let { items, steps, done, change }: Props = $props()
  const TICKED = /^(x|✓|✔|☑|yes|y|true|done|ok|1|ja|oui|s[ií]|erledigt|fait|hecho|fatto|klaar|klart|tak)$/i
  const EMPTY = /^(|-|–|—|☐|✗|no|n|false|open|0|nein|non|offen|nee|nej|nie)$/i
  /** A table with items down its first column and steps in its first line, as it is pasted from a spreadsheet. */
  const isTable = (lines: string[][]) =>
    lines.length > 1 &&
    lines[0]!.length > 1 &&
    lines[0]!.slice(1).every((text) => !TICKED.test(text.trim()) && !EMPTY.test(text.trim())) &&
    lines.slice(1).every(([name]) => !!name?.trim() && !TICKED.test(name.trim()))
  const grid = new CellGrid({
    rows: () => items.length,
    columns: () => steps.length,
    text: (row, column) => (done[row]?.[column] ? '✓' : ''),
    paste: (lines) => {
      if (isTable(lines)) {
        const [head, ...body] = lines
        const width = head!.length - 1
        change({
          items: body.map(([name]) => name!.trim()),
          steps: head!.slice(1).map((name) => name.trim()),
          done: body.map((line) =>
            Array.from({ length: width }, (_, j) => TICKED.test(line[j + 1]?.trim() ?? '')),
          ),
        })
        return
      }
      const next = copy()
      const { top, left } = grid.box
      lines.forEach((line, i) =>
        line.forEach((text, j) => {
          if (next[top + i]?.[left + j] !== undefined) next[top + i]![left + j] = TICKED.test(text)
        }),
      )
      change({ done: next })
    },
    clear: () => {
      const next = copy()
      for (const { row, column } of grid.places().flat()) next[row]![column] = false
      change({ done: next })
    },
  })
  const count = $derived(done.flat().filter(Boolean).length)
  const copy = () => done.map((line) => [...line])

  /** Only while one of the boxes has the keyboard: on a page a checklist stands beside much else. */
  const within = (event: ClipboardEvent) => !!(event.target as HTMLElement).closest?.('input[data-cell]')
  const copyOut = (event: ClipboardEvent) => within(event) && grid.copy(event)
  const pasteIn = (event: ClipboardEvent) => within(event) && grid.paste(event)

  function tick(i: number, j: number, on: boolean) {
    const next = copy()
    next[i]![j] = on
    change({ done: next })
  }
  function rename(what: 'items' | 'steps', at: number, name: string) {
    const list = what === 'items' ? [...items] : [...steps]
    list[at] = name.trim() || list[at]!
    change({ [what]: list, done: copy() })
  }
  function add(what: 'items' | 'steps') {
    if (what === 'items')
      change({ items: [...items, `Item ${items.length + 1}`], done: [...copy(), steps.map(() => false)] })
    else
      change({ steps: [...steps, `Step ${steps.length + 1}`], done: copy().map((line) => [...line, false]) })
  }
  function take(what: 'items' | 'steps', at: number) {
    if (what === 'items') change({ items: items.toSpliced(at, 1), done: copy().filter((_, i) => i !== at) })
    else change({ steps: steps.toSpliced(at, 1), done: copy().map((line) => line.toSpliced(at, 1)) })
  }
</script>

<svelte:window oncopy={copyOut} onpaste={pasteIn} />

<div class="sheet pad" bind:this={grid.bed}>
  <table>
    <thead>
      <tr>
        <th scope="col"><span class="sr-only">Member</span></th>
        {#each steps as step, j (j)}
          <th
            ><input
              aria-label="Step {j + 1}"
              value={step}
              maxlength="120"
              onchange={(event) => rename('steps', j, event.currentTarget.value)}
            />{#if steps.length > 1}<button
                class="act quiet out"
                aria-label="Take out the step {step}"
                title="Take out this step"
                onclick={() => take('steps', j)}>✕</button
              >{/if}</th
          >
        {/each}
        <th class="right">Done</th>
      </tr>
    </thead>
    <tbody>
      {#each items as item, i (i)}
        <tr>
          <th scope="row"
            ><input
              aria-label="Item {i + 1}"
              value={item}
              maxlength="120"
              onchange={(event) => rename('items', i, event.currentTarget.value)}
            />{#if items.length > 1}<button
                class="act quiet out"
                aria-label="Take out the item {item}"
                title="Take out this item"
                onclick={() => take('items', i)}>✕</button
              >{/if}</th
          >
          {#each steps as step, j (j)}
            <td class:within={grid.within(i, j)}
              ><label
                ><input
                  type="checkbox"
                  data-cell="{i}-{j}"
                  tabindex={grid.isAt(i, j) ? 0 : -1}
                  onfocus={() => (grid.at = { row: i, column: j })}
                  onkeydown={grid.keys}
                  aria-label="{item}: {step}"
                  checked={done[i]?.[j]}
                  onchange={(event) => tick(i, j, event.currentTarget.checked)}
                /></label
              ></td
            >
          {/each}
          <td class="right soft">{done[i]?.filter(Boolean).length} of {steps.length}</td>
        </tr>
      {/each}
    </tbody>
  </table>
  <p class="foot">
    <button class="act" onclick={() => add('items')}>Add an item</button>
    <button class="act" onclick={() => add('steps')}>Add a step</button>
    <b>{count} of {items.length * steps.length} steps done</b>
  </p>
</div>

<style>
  td.within {
    background: var(--accent-tint);
  }
  .pad {
    padding: 8px 12px;
    overflow-x: auto;
  }
  table {
    border-collapse: collapse;
    width: 100%;
    font-size: 13.5px;
  }
  th {
    text-align: left;
    font-weight: 600;
    white-space: nowrap;
  }
  tr {
    border-bottom: 1px solid var(--rule);
  }
  thead tr {
    border-color: var(--ink);
  }
  th input {
    width: calc(100% - 28px);
    min-width: 74px;
    height: 32px;
    border: 0;
    border-bottom: 1px dotted var(--nothing);
    background: transparent;
    color: var(--ink);
    font-weight: 600;
  }
  th input:focus {
    outline: 2px solid var(--accent);
  }
  .out {
    opacity: 0;
    padding: 0 4px;
    min-height: 22px;
  }
  th:hover .out,
  .out:focus-visible {
    opacity: 1;
  }
  td label {
    display: inline-flex;
    padding: 6px 10px;
    cursor: pointer;
  }
  td input {
    width: 17px;
    height: 17px;
    accent-color: var(--met);
  }
  .right {
    text-align: right;
    white-space: nowrap;
  }
  .foot {
    display: flex;
    gap: 8px;
    align-items: center;
    margin-top: 10px;
  }
</style>
