<script lang="ts">
  /** The lines of a table with what each was taken for in the margin, and what its columns are below. */
  import type { Schemas } from '../../api/client'
  import { count } from '../../api/numbers'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'

  type Line = Schemas['TableLook']['lines'][number]
  interface Props {
    look: Schemas['TableLook']
    /** The line of which it is asked what it is. */
    chosen: number | null
    sayLine: (at: number, kind: Line['kind']) => void
    sayColumn: (label: string, kind: string) => void
  }
  let { look, chosen = $bindable(), sayLine, sayColumn }: Props = $props()

  const LINES: [Line['kind'], string, string][] = [
    ['title', 'title', 'left out'],
    ['head', 'head', ''],
    ['row', 'figures', ''],
    ['group', 'group', 'heads the rows below it'],
    ['total', 'total', 'left out'],
    ['note', 'note', 'left out'],
    ['out', 'left out', ''],
  ]
  const nameOf = (kind: Line['kind']) => LINES.find(([key]) => key === kind)?.[1] ?? ''
  const COLUMNS: [Schemas['LookColumn']['kind'], string, string][] = [
    ['member', 'segment', 'members that are read one by one'],
    ['figure', 'figures', ''],
    ['period', 'period', 'says when a row is of'],
    ['across', 'periods across', ''],
    ['unit', 'unit', 'of the figures of its row'],
    ['target', 'target', 'becomes a mark'],
    ['better', 'better', 'says which way is better'],
    ['total', 'total', 'of the others in its row'],
    ['out', 'left out', ''],
  ]

  /** Runs of lines that were taken for the same, each with one word in the margin. */
  const runs = $derived.by(() => {
    const found: { kind: Line['kind']; why: string; lines: Line[] }[] = []
    for (const line of look.lines) {
      const last = found.at(-1)
      const follows = last && last.lines.at(-1)!.at === line.at - 1
      if (follows && last.kind === line.kind && last.kind !== 'total') last.lines.push(line)
      else found.push({ kind: line.kind, why: line.why, lines: [line] })
    }
    return found
  })
  /** The same for neighbouring columns, below the table. */
  const feet = $derived.by(() => {
    const found: { kind: Schemas['LookColumn']['kind']; labels: string[] }[] = []
    for (const { kind, label } of look.columns) {
      const last = found.at(-1)
      if (last && kind === 'across' && last.kind === kind) last.labels.push(label)
      else found.push({ kind, labels: [label] })
    }
    return found
  })
  /** A title or a note stands over the whole table. */
  const alone = (line: Line) =>
    ['title', 'note', 'group'].includes(line.kind) && line.cells.filter(Boolean).length === 1
      ? line.cells.find(Boolean)
      : ''
  const left = (kind: Line['kind']) => ['title', 'total', 'note', 'out'].includes(kind)
</script>

<section class="sheet proof" aria-label="The table as it came">
  <table>
    <tbody>
      {#each runs as run (run.lines[0]!.at)}
        {#each run.lines as line, n (line.at)}
          <tr class="l-{line.kind}" class:gone={left(line.kind)} class:chosen={chosen === line.at}>
            {#if n === 0}
              <th class="margin" rowspan={run.lines.length} scope="rowgroup">
                {#if line.kind !== 'blank'}
                  <b>{nameOf(line.kind)}</b>{#if left(line.kind) && line.kind !== 'out'}, left out{/if}
                  {#if run.why && run.why !== 'told by hand'}<span class="soft">; {run.why}</span>{/if}
                  {#if line.kind === 'row' && run.lines.length > 1}<span class="soft count"
                      >{run.lines.length} lines</span
                    >{/if}
                {/if}
              </th>
            {/if}
            <td class="bracket" class:first={n === 0} class:last={n === run.lines.length - 1}>
              {#if line.kind !== 'blank'}<button
                  aria-label="Line {line.at}: {nameOf(line.kind)}. Change"
                  aria-pressed={chosen === line.at}
                  onclick={() => (chosen = chosen === line.at ? null : line.at)}>{line.at}</button
                >{/if}
            </td>
            {#if alone(line)}
              <td
                class="cell over"
                colspan={line.cells.length}
                onclick={() => (chosen = chosen === line.at ? null : line.at)}>{alone(line)}</td
              >
            {:else}{#each line.cells as cell, at (at)}
                <td
                  class="cell c-{look.columns[at]?.kind}"
                  class:figure={/^[(+\-−£€$]?\s?\d/.test(cell)}
                  onclick={() => (chosen = chosen === line.at ? null : line.at)}>{cell}</td
                >
              {/each}{/if}
          </tr>
        {/each}
        {#if look.line_count > look.lines.length && run.lines.at(-1)!.at + 1 < (runs[runs.indexOf(run) + 1]?.lines[0]?.at ?? 0)}
          <tr
            ><td colspan="99" class="soft small skipped"
              >{count(look.line_count - look.lines.length)} lines between are read alike</td
            ></tr
          >
        {/if}
      {/each}
      <tr class="feet">
        <td></td><td></td>
        {#each feet as foot, n (n)}
          <td colspan={foot.labels.length}>
            <span class="foot">
              <Slot
                text={COLUMNS.find(([key]) => key === foot.kind)?.[1] ?? foot.kind}
                label="Column {foot.labels[0]}"
                width={230}
              >
                {#snippet children(close)}
                  <Choices
                    choices={COLUMNS.map(([key, name, note]) => ({ key, name, note }))}
                    chosen={foot.kind}
                    choose={(key) => {
                      close()
                      sayColumn(foot.labels[0]!, key)
                    }}
                  />
                {/snippet}
              </Slot>
            </span>
          </td>
        {/each}
      </tr>
    </tbody>
  </table>
  {#if chosen !== null}
    <div class="say" role="group" aria-label="What line {chosen} is">
      <span>Line {chosen} is</span>
      {#each LINES as [key, name, note] (key)}
        <button class="act" title={note} onclick={() => sayLine(chosen!, key)}>{name}</button>
      {/each}
      <button class="act quiet" onclick={() => (chosen = null)}>As it is</button>
    </div>
  {/if}
</section>

<style>
  .proof {
    padding: 14px;
    overflow: auto;
    max-height: 62vh;
  }
  table {
    border-collapse: separate;
    border-spacing: 0;
    font-size: 13px;
  }
  .margin {
    text-align: right;
    vertical-align: middle;
    font-weight: 450;
    font-size: 12.5px;
    color: var(--soft);
    padding: 0 6px 0 0;
    min-width: 96px;
    max-width: 130px;
  }
  .margin b {
    color: var(--ink);
  }
  .count {
    display: block;
  }
  .bracket {
    border-left: 1.5px solid var(--accent);
    padding: 0 4px 0 2px;
    min-width: 30px;
  }
  .bracket.first {
    border-top: 1.5px solid var(--accent);
  }
  .bracket.last {
    border-bottom: 1.5px solid var(--accent);
  }
  .l-blank .bracket {
    border: 0;
  }
  .bracket button {
    min-width: 24px;
    min-height: 24px;
    font-size: 11px;
    color: var(--soft);
    cursor: pointer;
    border-radius: 3px;
  }
  .bracket button:hover,
  .bracket button[aria-pressed='true'] {
    background: var(--accent-tint);
    color: var(--accent);
  }
  .cell {
    border: 0.5px solid var(--rule);
    padding: 4px 8px;
    max-width: 190px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    cursor: pointer;
  }
  .cell.over {
    max-width: 0;
  }
  .cell.figure {
    text-align: right;
  }
  .l-head .cell {
    background: var(--accent-tint);
    font-weight: 650;
    border-bottom: 1.5px solid var(--accent);
  }
  .l-group .cell {
    font-weight: 650;
    background: var(--sunk);
  }
  .gone .cell,
  .c-total,
  .c-out {
    color: var(--soft);
    background: repeating-linear-gradient(45deg, var(--track) 0 1px, transparent 1px 6px);
  }
  .l-blank .cell {
    border-color: transparent;
  }
  .chosen .cell {
    outline: 1.5px solid var(--accent);
    outline-offset: -1px;
  }
  .skipped {
    padding: 6px 10px;
    text-align: center;
  }
  .feet td {
    padding: 6px 2px 2px;
    vertical-align: top;
    text-align: center;
  }
  .foot {
    display: block;
    border-top: 1.5px solid var(--accent);
    padding-top: 4px;
    font-size: 12.5px;
  }
  .say {
    position: sticky;
    left: 0;
    bottom: -14px;
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    align-items: center;
    margin-top: 10px;
    padding: 8px 0;
    background: var(--sheet);
    border-top: 1px solid var(--rule);
  }
</style>
