<script lang="ts">
  /** A table as it came, marked in its margins like a proof: press what is taken for the wrong thing, or a sentence. */
  import DropAnywhere from '../../parts/DropAnywhere.svelte'
  import { push } from 'svelte-spa-router'
  import { words, type Schemas } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import DayField from '../../parts/DayField.svelte'
  import PickFile from '../../parts/PickFile.svelte'
  import Slot from '../../parts/Slot.svelte'
  import { looking } from '../../parts/looking.svelte'
  import { Sending, lookAt, type Recipe } from './upload.svelte'

  type Look = Schemas['TableLook']
  type Line = Look['lines'][number]
  const sending = new Sending()
  let look = $state.raw<Look | null>(null)
  let before = $state.raw<Recipe[]>([]) // what was said by hand, step by step
  let chosen = $state<number | null>(null)
  let failed = $state('')
  let plain = $state(false)
  let busy = $state(false)
  let then = $state<'scorecard' | 'data'>('scorecard')
  let turn = 0

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

  async function read(recipe?: Recipe, sheet?: string) {
    const file = looking.file
    if (!file) return
    const mine = ++turn
    busy = true
    plain = false
    try {
      const found = await lookAt(file, recipe, sheet)
      if (mine !== turn) return
      look = found
      plain = !found // it is large, or of a kind that says itself what is in it
    } catch (error) {
      if (mine === turn) failed = words(error)
    }
    busy = false
  }
  $effect(() => {
    void looking.file
    before = []
    chosen = null
    void read(undefined, looking.sheet)
  })
  /** Read it anew with something said by hand; what was said before can be gone back to. */
  function say(edit: Partial<Recipe>) {
    if (!look) return
    before = [...before, look.recipe]
    void read({ ...look.recipe, ...edit })
  }
  function back() {
    const last = before.at(-1)
    before = before.slice(0, -1)
    if (last) void read(last)
  }
  const recipe = $derived(look?.recipe as Record<string, Record<string, string>> | undefined)
  function sayLine(at: number, kind: Line['kind']) {
    say({ lines: { ...recipe?.['lines'], [at]: kind } })
    chosen = null
  }
  const sayColumn = (label: string, kind: string) =>
    say({ columns: { ...recipe?.['columns'], [label]: kind } })
  function slot(key: string, to: string) {
    if (key.startsWith('column:')) return sayColumn(key.slice(7), to)
    say({ [key]: key === 'year' ? Number(to) : to })
  }

  /** Runs of lines that were taken for the same, each with one word in the margin. */
  const runs = $derived.by(() => {
    const found: { kind: Line['kind']; why: string; lines: Line[] }[] = []
    for (const line of look?.lines ?? []) {
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
    for (const { kind, label } of look?.columns ?? []) {
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

  async function keep() {
    if (!looking.file) return
    busy = true
    failed = ''
    try {
      // A plain list is read as one, and needs no recipe.
      const aim = look && (!look.tidy || before.length) ? { recipe: look.recipe, name: look.name } : {}
      const made = await sending.send(looking.file, aim)
      if (made) {
        looking.file = null
        await push(then === 'scorecard' ? `/rows?of=${made}` : `/data/${made}`)
      }
    } catch (error) {
      failed = words(error)
    }
    busy = false
  }
</script>

<DropAnywhere />
<main class="page">
  <div class="top">
    <div class="grow">
      <h1>{looking.file?.name ?? 'A table'}</h1>
      <p class="sentence">
        {#if look?.sheets.length}Sheet <Slot text={look.sheet?.name ?? ''} label="Sheet">
            {#snippet children(close)}
              <Choices
                choices={look!.sheets}
                chosen={look?.sheet?.key}
                choose={(name) => {
                  close()
                  before = []
                  void read(undefined, name)
                }}
              />
            {/snippet}
          </Slot> of {look.sheets.length}, as it came; press anything that is taken for the wrong thing
        {:else if look}As it came; press anything that is taken for the wrong thing
        {:else if plain}A list that is read as it is.
        {:else if looking.file}Reading…
        {:else}Choose a file or paste cells, and see what they are taken for.{/if}
      </p>
    </div>
    {#if before.length}<button class="act" onclick={back}>Take it back</button>{/if}
    {#if look}
      <button class="act main" disabled={busy || !look.rows} onclick={keep}>Read it like this</button>
    {:else if plain}
      <button class="act main" disabled={busy} onclick={keep}>Read it</button>
    {:else if !looking.file}
      <PickFile
        label="Choose a file"
        name="File with a table"
        accept=".csv,.tsv,.txt,.xlsx,.xls,.ods,.html,.htm"
        main
        take={(files) => (looking.file = files?.[0] ?? null)}
      />
    {/if}
  </div>
  {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}
  {#if sending.stage && busy}<p class="aside-note gap" role="status">{sending.stage}…</p>{/if}

  {#if look}
    <div class="two" class:dim={busy}>
      <div class="left">
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
                          {#if run.why && run.why !== 'told by hand'}<span class="soft">; {run.why}</span
                            >{/if}
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
                      >{(look.line_count - look.lines.length).toLocaleString()} lines between are read alike</td
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
        <section class="sheet says" aria-label="How it is read">
          <p>
            {#each look.sentences as pieces, s (s)}
              {#each pieces as piece, p (p)}{#if !piece.slot}{piece.text}{:else}<Slot
                    text={piece.text}
                    label={piece.slot.replace('column:', 'Column ')}
                    width={230}
                  >
                    {#snippet children(close)}
                      {#if piece.choices?.length}
                        <Choices
                          choices={piece.choices}
                          choose={(key) => {
                            close()
                            slot(piece.slot ?? '', key)
                          }}
                        />
                      {:else if piece.slot === 'as_of'}
                        <DayField
                          value={String(look?.recipe['as_of'] ?? '')}
                          label="The day the rows are as of"
                          keep={(day) => {
                            close()
                            slot('as_of', day)
                          }}
                        />
                      {:else}
                        <input
                          class="type-in"
                          aria-label={piece.slot === 'year' ? 'The year' : 'What the figures are called'}
                          inputmode={piece.slot === 'year' ? 'numeric' : 'text'}
                          maxlength="60"
                          value={piece.slot === 'year' ? (look?.recipe['year'] ?? '') : piece.text}
                          onchange={(event) => {
                            const said = event.currentTarget.value.trim()
                            if (!said || (piece.slot === 'year' && !/^(19|20)\d\d$/.test(said))) return
                            close()
                            slot(piece.slot ?? '', said)
                          }}
                        />
                      {/if}
                    {/snippet}
                  </Slot>{/if}{/each}{' '}
            {/each}
          </p>
          {#each look.told as said (said)}<p class="aside-note small">{said}</p>{/each}
        </section>
        <p class="small soft kept">
          Kept for the next file: what is new is read alike, and what no longer fits is asked about.
        </p>
      </div>
      <aside class="sheet comes">
        <h2>What comes of it</h2>
        {#each look.outcomes as one (one.name)}
          <div class="outcome">
            <span><b>{one.name}</b><br /><span class="small soft">{one.says}</span></span>
            <b>{one.shown}</b>
          </div>
        {:else}<p class="small soft">No figures yet. Say which line is the head.</p>{/each}
        <p class="small soft">
          {look.rows.toLocaleString()}
          {look.rows === 1 ? 'row' : 'rows'}{look.period ? '' : '; none says when it is of'}.
        </p>
        <p class="then" role="group" aria-label="Then">
          <span class="soft small">Then</span>
          <button class="act" aria-pressed={then === 'scorecard'} onclick={() => (then = 'scorecard')}
            >a scorecard from it</button
          >
          <button class="act" aria-pressed={then === 'data'} onclick={() => (then = 'data')}
            >only the data</button
          >
        </p>
      </aside>
    </div>
  {/if}
</main>

<style>
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 300px;
    gap: 12px;
    align-items: start;
  }
  .dim {
    opacity: 0.6;
  }
  .left {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 12px;
  }
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
  .says {
    padding: 14px 16px;
    font-size: 15.5px;
    line-height: 1.85;
    color: var(--soft);
  }
  .says .aside-note {
    margin-top: 6px;
    line-height: 1.4;
  }
  .kept {
    padding: 0 14px;
  }
  .comes {
    display: grid;
    gap: 8px;
    padding: 14px 16px;
  }
  .outcome {
    display: flex;
    justify-content: space-between;
    gap: 10px;
    align-items: baseline;
    padding-bottom: 6px;
    border-bottom: 1px solid var(--rule);
  }
  .outcome > :last-child {
    white-space: nowrap;
  }
  .then {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    align-items: center;
  }
  @media (max-width: 900px) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
    .top {
      flex-wrap: wrap;
    }
  }
</style>
