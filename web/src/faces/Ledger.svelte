<script lang="ts">
  /** Rows of members or KPIs: figures, in-row drawings, strokes, headroom, history, state; sorted by any column. */
  import { dimmer } from './lit'
  import { getContext } from 'svelte'
  import type { Reading, Schemas } from '../api/client'
  import { stateOf, tint } from '../api/states.svelte'
  import Sign from '../parts/Sign.svelte'
  import Slot from '../parts/Slot.svelte'
  import Spark from '../parts/Spark.svelte'
  import MemberName from './MemberName.svelte'
  import Mark from './Mark.svelte'
  import Overrun from './Overrun.svelte'
  import Tallied from './Tallied.svelte'
  import Windowed from './Windowed.svelte'
  import NoteSign from '../parts/NoteSign.svelte'
  import { widthOf } from './labels'
  import { FINGER, SHOWN, touch } from '../parts/touch.svelte'
  import { memberPages } from './member-page'
  import { told as inFull, paint, type FaceProps } from './looks'
  import { sized } from '../parts/sized'
  import { measured, type Part } from './names.svelte'

  interface Props extends FaceProps {
    /** Take the rows out as a file. */
    take?: (kind: 'csv' | 'xlsx') => void
  }
  let { picture, look, mini = false, open, take }: Props = $props()
  const dim = dimmer()
  const byMember = memberPages()
  const paper = getContext('paper')
  type Column = Schemas['LedgerLook']['columns'][number]

  const narrow = $derived(touch.current && !paper)
  const [LEAST, MOST] = [28, 40] // rows take the height there is, within reason
  const H = 15
  const FOOT = 17 // what is told below the rows that fit
  const BAR = 12 // what a scroll bar takes
  let bed = $state<HTMLElement | null>(null)
  let tall = $state(0)
  let across = $state(0)
  let outer = $state(0)
  let inner = $state(0)
  /** No row is cut through: the bed is as high as whole ones, its head and its scroll bar. */
  const whole = $derived.by(() => {
    const bar = Math.max(0, outer - inner)
    if (narrow) return Math.min(rows.length + 1, SHOWN + 1) * ROW + bar
    const foot = fitted.gone.length ? FOOT : 0
    if (paper || !tall || (rows.length + 1) * ROW + bar + foot <= tall) return 0
    return Math.max(2, Math.floor((tall - bar - FOOT) / ROW)) * ROW + bar
  })
  const more = $derived.by(() => (whole ? rows.length + 1 - Math.floor(whole / ROW) : 0))
  let sorted = $state<{ by: Column | 'name'; down: boolean } | null>(null)
  let said = $state('')
  const columns = $derived(look.ledger.columns)
  const readings = $derived(picture.readings)
  const wide = $derived(measured(picture))
  const ROW = $derived(
    narrow
      ? FINGER
      : tall && readings.length < 40
        ? Math.min(MOST, Math.max(LEAST, Math.floor((tall - 12) / (readings.length + 1))))
        : LEAST,
  )
  const markName = $derived(wide.find((reading) => reading.marks.length)?.marks[0]?.name ?? 'mark')
  const heads = $derived<Record<Column, string>>({
    value: 'Value',
    mark: markName[0]!.toLocaleUpperCase() + markName.slice(1),
    gap: 'Gap',
    attainment: 'Reached',
    bullet: 'On its bands',
    progress: 'Progress',
    strokes: `Tally, ${picture.stroke} each`,
    headroom: 'Headroom',
    trail: 'History',
    state: 'State',
  })
  const NUMBERS: Column[] = ['value', 'mark', 'gap', 'attainment']
  const text = (reading: Reading, column: Column): string => {
    switch (column) {
      case 'value':
      case 'bullet':
        return reading.shown
      case 'mark':
        return reading.marks[0]?.shown ?? ''
      case 'gap':
        return reading.gap_shown
      case 'attainment':
      case 'progress':
        return reading.attainment_shown
      case 'strokes':
        return reading.value === null ? '' : String(reading.strokes)
      case 'headroom':
        return reading.headroom_shown
      case 'state':
        return told(reading)
      case 'trail':
        return ''
    }
  }
  const told = (reading: Reading) =>
    (reading.state && reading.partial
      ? `${stateOf(reading.state)?.name} so far`
      : stateOf(reading.state)?.name) ?? (reading.status === 'no_reading' ? 'no reading' : 'not graded')
  const figure = (reading: Reading, column: Column): number | null => {
    if (column === 'mark') return reading.marks[0]?.value ?? null
    if (column === 'gap') return reading.gap
    if (column === 'attainment' || column === 'progress') return reading.attainment
    if (column === 'headroom') return reading.headroom
    if (column === 'state') return stateOf(reading.state)?.rank ?? null
    return reading.value
  }
  /** The widest text gives a column of figures its width; drawings share what is left. */
  const widths = $derived(
    columns.map((column): [number, boolean] => {
      const widest = wide.reduce(
        (most, reading) => Math.max(most, widthOf(text(reading, column), 13.4)),
        widthOf(heads[column], 11.5) + 14,
      )
      if (NUMBERS.includes(column)) return [Math.ceil(widest + 6), false]
      if (column === 'state') return [Math.ceil(widest + 26), false]
      return [{ bullet: 90, trail: 66 }[column as string] ?? 80, column !== 'trail']
    }),
  )
  const GAP = 12
  const SIGN = 20
  const [NAME_LEAST, NAME_FAIR, NAME_MOST] = [84, 150, 270]
  const HEAD = 56 // how many rows there are, and the way to sort them
  const longest = $derived(
    wide.reduce(
      (most, reading) => Math.max(most, widthOf(reading.label, 13.4) + (reading.word ? 18 : 0)),
      0,
    ) + 8,
  )
  /** What finds room: names first. Where it is narrow a state is told by its sign, then drawings go, then figures that
   * others give too; nothing lies past the sheet's edge, and what is left out is named below. */
  const fitted = $derived.by(() => {
    const kept = columns.map((column, at) => ({ column, px: widths[at]![0], grows: widths[at]![1] }))
    const gone: Column[] = []
    let name = Math.min(NAME_MOST, Math.max(NAME_LEAST, longest))
    const over = () => name + kept.reduce((sum, one) => sum + one.px + GAP, 0) - across
    const leave = (...ones: Column[]) => {
      for (const one of ones) {
        const at = kept.findIndex((known) => known.column === one)
        if (over() > 0 && at >= 0 && kept.length > 1) gone.push(kept.splice(at, 1)[0]!.column)
      }
    }
    const state = kept.find((one) => one.column === 'state')
    let signs = false
    if (across && !paper) {
      if (over() > 0 && state) {
        signs = true
        state.px = SIGN
      }
      leave('trail', 'headroom', 'strokes', 'progress')
      name = Math.max(Math.min(name, NAME_FAIR), name - Math.max(0, over()))
      leave('bullet', 'attainment', 'mark')
      name = Math.max(Math.min(name, NAME_LEAST), name - Math.max(0, over()))
      leave('gap')
      leave('state')
      name = Math.max(Math.min(name, HEAD), name - Math.max(0, over()))
    }
    // On a sheet that holds not even one figure the rest is scrolled to.
    const least = over() > 0 && across && !paper ? across + over() : 0
    return { columns: kept, gone: columns.filter((column) => gone.includes(column)), signs, name, least }
  })
  const template = $derived(
    [
      `minmax(${fitted.name}px, 1.2fr)`,
      ...fitted.columns.map(({ px, grows }) => (grows ? `minmax(${px}px, 1fr)` : `${px}px`)),
    ].join(' '),
  )
  const compare = (one: Reading, other: Reading) => {
    if (!sorted) return 0
    const way = sorted.down ? -1 : 1
    if (sorted.by === 'name') return way * one.label.localeCompare(other.label)
    const [a, b] = [figure(one, sorted.by), figure(other, sorted.by)]
    if (a === null || b === null) return a === b ? 0 : a === null ? 1 : -1
    return way * (a - b)
  }
  /** Groups keep their place; the rows of each are sorted. */
  const rows = $derived.by(() => {
    if (!sorted) return readings
    const blocks: Reading[][] = [[]]
    for (const reading of readings)
      if (reading.role === 'group') blocks.push([reading])
      else blocks.at(-1)!.push(reading)
    return blocks.flatMap((block) => {
      const heads = block.filter((reading) => reading.role === 'group')
      const rest = block.filter((reading) => reading.role === 'rest')
      const inside = block.filter((reading) => reading.role !== 'group' && reading.role !== 'rest')
      return [...heads, ...inside.sort(compare), ...rest]
    })
  })
  function sortBy(column: Column | 'name') {
    const down = column !== 'name'
    if (sorted?.by !== column) sorted = { by: column, down }
    else if (sorted.down === down) sorted = { by: column, down: !down }
    else sorted = null
  }
  async function copy() {
    const lines = [
      ['', ...columns.map((column) => heads[column])],
      ...rows.map((reading) => [
        reading.label || picture.title,
        ...columns.map((column) =>
          column === 'trail' ? reading.trail.map((moment) => moment.shown).join(' ') : text(reading, column),
        ),
      ]),
    ]
    try {
      await navigator.clipboard.writeText(
        lines.map((line) => line.map((cell) => cell.replace(/[\t\n]/g, ' ')).join('\t')).join('\n'),
      )
      said = `${rows.length} rows copied`
    } catch {
      said = 'The browser does not let this page copy. Take the rows out as CSV instead.'
    }
  }
</script>

{#snippet cell(reading: Reading, column: Column)}
  {#if column === 'state'}
    <Sign state={reading.state} />
    <span class={fitted.signs ? 'sr-only' : 'told'}>{told(reading)}</span>
  {:else if column === 'bullet'}
    <svg width="100%" height={H + 5} class="drawn" role="presentation">
      {#each reading.bands as band (band.start)}
        <rect
          x="{band.start * 100}%"
          width="{(band.end - band.start) * 100}%"
          height={H}
          fill={tint(band.state)}
        />
      {:else}<rect width="100%" height={H} fill="var(--nothing-tint)" />{/each}
      {#if reading.value !== null}
        {@const zero = (reading.axis ?? picture.axis)?.zero ?? 0}
        <rect
          x="{Math.min(zero, reading.fraction) * 100}%"
          width="{Math.abs(reading.fraction - zero) * 100}%"
          y={H * 0.3}
          height={H * 0.4}
          fill={paint(reading)}
          fill-opacity={reading.partial ? 0.6 : 1}
        />
        <Overrun past={reading.past} at={H / 2} size={H * 0.3} />
      {/if}
      {#each reading.marks as mark (mark.name)}<Mark {mark} top={0} bottom={H - 1} />{/each}
    </svg>
  {:else if column === 'progress'}
    <svg width="100%" height="11" class="drawn" role="presentation">
      <rect width="100%" height="11" rx="2" fill="var(--track)" />
      {#if reading.attainment !== null}
        <rect
          width="{Math.min(1, Math.max(0, reading.attainment)) * 100}%"
          height="11"
          rx="2"
          fill={paint(reading)}
          fill-opacity={reading.partial ? 0.6 : 1}
        />
        {#if reading.attainment > 1}<Overrun past={1} at={5.5} size={4} />{/if}
      {/if}
    </svg>
  {:else if column === 'strokes'}
    <Tallied count={reading.strokes} colour={paint(reading)} />
  {:else if column === 'headroom'}
    {@const side = reading.side ?? 0}
    <svg width="100%" height="17" class="drawn" role="presentation">
      {#if reading.side !== null}
        <rect
          x="{(side < 0 ? 0.5 + side / 2 : 0.5) * 100}%"
          width="{(Math.abs(side) / 2) * 100}%"
          y="3"
          height="11"
          fill={paint(reading)}
        />
      {/if}
      <line x1="50%" x2="50%" y2="17" stroke="var(--ink)" stroke-width="1.4" />
      <title>{reading.headroom_shown}</title>
    </svg>
  {:else if column === 'trail'}
    <Spark
      line={reading.trail.map((moment) => moment.at)}
      target={reading.trail.map((moment) => moment.mark)}
      state={reading.state}
    />
  {:else}{text(reading, column)}{/if}
{/snippet}

{#if mini}
  <span class="minis">
    {#each readings.slice(0, 3) as reading (reading.key)}
      <span><b>{reading.shown}</b><Sign state={reading.state} size={12} /></span>
    {/each}
  </span>
{:else}
  <div class="ledger" class:paper {@attach sized((w, h) => ([across, tall] = [w - BAR, h]))}>
    <div
      class="bed"
      bind:this={bed}
      bind:offsetHeight={outer}
      bind:clientHeight={inner}
      style:height={whole ? `${whole}px` : undefined}
      style:--columns={template}
      style:--row="{ROW}px"
      style:--least="{fitted.least}px"
      style:overflow-x={fitted.least ? 'auto' : undefined}
      role="table"
      aria-rowcount={rows.length + 1}
    >
      <div class="line head" role="row">
        {#each ['name', ...fitted.columns.map((one) => one.column)] as const as column (column)}
          <div
            role="columnheader"
            aria-sort={sorted?.by !== column ? 'none' : sorted.down ? 'descending' : 'ascending'}
            class:right={NUMBERS.includes(column as Column)}
            style:width={!paper || column === 'name' || widths[columns.indexOf(column)]![1]
              ? undefined
              : `${widths[columns.indexOf(column)]![0] + 12}px`}
          >
            {#if column === 'name'}
              {#if take}
                <Slot text="{readings.length} rows" label="Take the rows out" width={230}>
                  {#snippet children(close)}
                    <button class="act quiet" onclick={copy}>Copy as a table</button>
                    <button
                      class="act quiet"
                      onclick={() => {
                        take('csv')
                        close()
                      }}>Take out as CSV</button
                    >
                    <button
                      class="act quiet"
                      onclick={() => {
                        take('xlsx')
                        close()
                      }}>Take out as XLSX</button
                    >
                    <p class="small soft" aria-live="polite">{said}</p>
                  {/snippet}
                </Slot>
              {:else}{(picture as Partial<Part>).count ?? readings.length} rows{/if}
              {#if !paper}<button
                  onclick={() => sortBy('name')}
                  title="Sort by name"
                  aria-label="Sort by name">{sorted?.by === 'name' ? (sorted.down ? '↓' : '↑') : '↕'}</button
                >{/if}
            {:else if paper}{heads[column]}
            {:else}
              <button onclick={() => sortBy(column)} title="Sort by {heads[column].toLocaleLowerCase()}">
                <span class={column === 'state' && fitted.signs ? 'sr-only' : ''}>{heads[column]}</span
                >{#if sorted?.by === column}<span aria-hidden="true">{sorted.down ? ' ↓' : ' ↑'}</span>{/if}
              </button>
            {/if}
          </div>
        {/each}
      </div>
      <Windowed items={rows} height={ROW} key={(reading) => reading.key} {bed}>
        {#snippet row(reading)}
          {@const named = columns.length > 0 && !!byMember(picture, reading)}
          <div
            class="line r-{reading.role}"
            class:dim={dim(reading)}
            role="row"
            data-line
            data-tip={paper ? undefined : inFull(reading)}
          >
            <div role="rowheader" class="name">
              {#if paper}{reading.label || picture.title}{#if reading.word}&nbsp;<NoteSign
                    wanted={reading.word === 'wanted'}
                    size={12}
                  />{/if}
              {:else if named}
                <MemberName {picture} {reading} />{#if reading.word}<NoteSign
                    wanted={reading.word === 'wanted'}
                    size={12}
                  />{/if}
              {:else}
                <button
                  class:signed={reading.word}
                  onclick={() => open?.(reading)}
                  aria-label={reading.spoken}
                  >{reading.label || picture.title}{#if reading.word}&nbsp;<NoteSign
                      wanted={reading.word === 'wanted'}
                      size={12}
                    />{/if}</button
                >
              {/if}
            </div>
            {#each fitted.columns as { column } (column)}
              <div
                role="cell"
                class="c-{column}"
                class:right={NUMBERS.includes(column)}
                class:none={reading.value === null}
              >
                {#if named && column === fitted.columns[0]?.column}
                  <button class="cell" onclick={() => open?.(reading)} aria-label={reading.spoken}
                    >{@render cell(reading, column)}</button
                  >
                {:else}{@render cell(reading, column)}{/if}
              </div>
            {/each}
          </div>
        {/snippet}
      </Windowed>
    </div>
    {#if more || fitted.gone.length}<p class="more-rows">
        {[
          more ? `${more} more` : '',
          fitted.gone.length
            ? `no room for ${fitted.gone.map((one) => heads[one].toLocaleLowerCase()).join(', ')}`
            : '',
        ]
          .filter(Boolean)
          .join(' · ')}
      </p>{/if}
  </div>
{/if}

<style>
  .signed {
    white-space: nowrap;
  }
  .ledger {
    display: flex;
    flex-direction: column;
    height: 100%;
    min-height: 0;
  }
  .bed {
    container-type: inline-size;
    flex: 0 1 auto;
    min-height: 0;
    overflow: hidden auto;
  }
  /* On paper it is a table that runs on, with its head on every page. */
  .paper > .bed {
    display: table;
    table-layout: fixed;
    width: 100%;
    height: auto !important;
    overflow: visible;
  }
  .paper .line {
    display: table-row;
    contain: none;
    break-inside: avoid;
  }
  .paper .line.head {
    display: table-header-group;
  }
  .paper .line > div {
    position: static;
    background: none;
    display: table-cell;
    height: calc(var(--row) - 2px);
    padding-right: 12px;
    vertical-align: middle;
    border-bottom: 1px solid var(--rule);
  }
  .paper .line > .name {
    overflow-wrap: anywhere;
    white-space: normal;
    line-height: 1.2;
    padding-block: 3px;
  }
  .paper .line > .right {
    text-align: right;
  }
  .paper .line > .c-state :global(svg) {
    display: inline-block;
    margin-right: 5px;
    vertical-align: -2px;
  }
  .line {
    display: grid;
    grid-template-columns: var(--columns);
    column-gap: 12px;
    align-items: center;
    height: var(--row);
    min-width: var(--least);
    width: 100%;
    border-bottom: 1px solid var(--rule);
    font-size: 13.4px;
    contain: layout style;
  }
  .line > div {
    display: flex;
    align-items: center;
    gap: 6px;
    min-width: 0;
    height: 100%;
    white-space: nowrap;
  }
  .line > .right {
    justify-content: flex-end;
  }
  .cell {
    flex: 1;
    min-width: 0;
    align-self: stretch;
    text-align: inherit;
    cursor: pointer;
  }
  .right > .cell {
    text-align: right;
  }
  .head {
    position: sticky;
    top: 0;
    z-index: 3;
    background: var(--sheet);
    border-bottom: 1.5px solid var(--ink);
    font-size: 11.5px;
    font-weight: 620;
    color: var(--soft);
  }
  .head button,
  .name button {
    min-width: 24px;
    min-height: 24px;
    cursor: pointer;
    overflow: hidden;
    text-overflow: ellipsis;
    text-align: inherit;
  }
  .line > :first-child {
    position: sticky;
    left: 0;
    z-index: 2;
    background: var(--sheet);
  }
  .line:hover:not(.head),
  .line:hover:not(.head) > :first-child {
    background: var(--accent-tint);
  }
  .r-group,
  .r-group > :first-child {
    background: var(--sunk) !important;
    font-weight: 620;
  }
  .r-group ~ .r-member > .name {
    padding-left: 14px;
  }
  .r-rest {
    font-style: italic;
  }
  @media screen and (max-width: 760px) {
    .head button,
    .name button {
      min-height: 44px;
      min-width: 44px;
    }
  }
  .c-value {
    font-weight: 650;
  }
  .none {
    font-weight: 400;
    color: var(--soft);
  }
  .c-mark,
  .c-gap,
  .c-attainment {
    color: var(--soft);
  }
  .drawn {
    display: block;
    overflow: visible;
  }
  .minis {
    display: flex;
    flex-direction: column;
    font-size: 11px;
    line-height: 1.3;
  }
  .minis > span {
    display: flex;
    justify-content: space-between;
    border-bottom: 1px solid var(--rule);
  }
</style>
