<script lang="ts">
  /** Rows of members or KPIs: figures, in-row drawings, strokes, headroom, history, state; sorted by any column. */
  import { dimmer } from './lit'
  import { getContext } from 'svelte'
  import type { Reading } from '../api/client'
  import { count } from '../api/numbers'
  import Sign from '../parts/Sign.svelte'
  import LedgerHead from './LedgerHead.svelte'
  import MemberName from './MemberName.svelte'
  import Windowed from './Windowed.svelte'
  import NoteSign from '../parts/NoteSign.svelte'
  import { widthOf } from './labels'
  import { inPrint, isDrawnInPrint } from './in-print'
  import * as ledger from './ledger'
  import { FINGER, SHOWN, touch } from '../parts/touch.svelte'
  import { memberPages } from './member-page'
  import { told as inFull, type FaceProps } from './looks'
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
  const late = isDrawnInPrint()

  const columns = $derived(look.ledger.columns)
  const readings = $derived(picture.readings)
  const wide = $derived(measured(picture))
  const narrow = $derived(touch.current && !paper)
  const [LEAST, MOST] = [28, 40] // rows take the height there is, within reason
  const FEW = 40
  const FOOT = 17 // what is told below the rows that fit
  const BAR = 12 // what a scroll bar takes
  let bed = $state<HTMLElement | null>(null)
  let tall = $state(0)
  let across = $state(0)
  let bar = $state(0) // pixels of the bed's own scroll bar
  /** Rows of a long list on paper are as high whatever room there is: laying it out would only take time. */
  const fills = $derived(!paper || readings.length < FEW)
  /** No row is cut through: the bed is as high as whole ones, its head and its scroll bar. */
  const whole = $derived.by(() => {
    if (narrow) return Math.min(rows.length + 1, SHOWN + 1) * ROW + bar
    const foot = fitted.gone.length ? FOOT : 0
    if (paper || !tall || (rows.length + 1) * ROW + bar + foot <= tall) return 0
    return Math.max(2, Math.floor((tall - bar - FOOT) / ROW)) * ROW + bar
  })
  const more = $derived.by(() => (whole ? rows.length + 1 - Math.floor(whole / ROW) : 0))
  let sorted = $state<ledger.Order>(null)
  const ROW = $derived(
    narrow
      ? FINGER
      : tall && readings.length < FEW
        ? Math.min(MOST, Math.max(LEAST, Math.floor((tall - 12) / (readings.length + 1))))
        : LEAST,
  )
  const heads = $derived(ledger.headsOf(picture, wide))
  const widths = $derived(ledger.widthsOf(columns, heads, wide))
  const longest = $derived(
    wide.reduce(
      (most, reading) => Math.max(most, widthOf(reading.label, 13.4) + (reading.word ? 18 : 0)),
      0,
    ) + 8,
  )
  const fitted = $derived(ledger.fitted(columns, widths, longest, paper ? 0 : across))
  const shown = $derived(fitted.columns.map(({ column }) => column))
  const rows = $derived(ledger.ordered(readings, sorted))
  const onPaper = () => rows.map((reading) => ledger.rowOf(reading, columns, picture, dim(reading))).join('')
  const sortBy = (column: ledger.Column | 'name') => (sorted = ledger.pressed(sorted, column))
</script>

{#snippet cell(reading: Reading, column: ledger.Column)}
  <!-- eslint-disable-next-line svelte/no-at-html-tags -- its texts are escaped -->
  {@html ledger.cellOf(reading, column, picture.axis, fitted.signs)}
{/snippet}

{#if mini}
  <span class="minis">
    {#each readings.slice(0, 3) as reading (reading.key)}
      <span><b>{reading.shown}</b><Sign state={reading.state} of={reading} size={12} /></span>
    {/each}
  </span>
{:else}
  <div
    class="ledger"
    class:paper
    {@attach fills ? sized((w, h) => ([across, tall] = [w - BAR, h])) : undefined}
  >
    <div
      class="bed"
      bind:this={bed}
      {@attach paper ? undefined : sized((_, h) => (bar = bed ? bed.offsetHeight - h : 0))}
      {@attach late ? inPrint(onPaper) : undefined}
      style:height={whole ? `${whole}px` : undefined}
      style:--columns={fitted.template}
      style:--row="{ROW}px"
      style:--least="{fitted.least}px"
      style:overflow-x={fitted.least ? 'auto' : undefined}
      role="table"
      aria-rowcount={rows.length + 1}
    >
      <LedgerHead
        columns={fitted.columns}
        {heads}
        rows={(picture as Partial<Part>).count ?? readings.length}
        {sorted}
        {sortBy}
        signs={fitted.signs}
        table={() => ledger.asTable(rows, columns, heads, picture.title)}
        {take}
      />
      {#if paper}
        <!-- eslint-disable-next-line svelte/no-at-html-tags -- its texts are escaped -->
        {#if !late}{@html onPaper()}{/if}
      {:else}
        <Windowed items={rows} height={ROW} key={(reading) => reading.key} {bed}>
          {#snippet row(reading)}
            {@const named = columns.length > 0 && !!byMember(picture, reading)}
            <div
              class="line r-{reading.role}"
              class:dim={dim(reading)}
              role="row"
              data-line
              data-tip={inFull(reading)}
            >
              <div role="rowheader" class="name">
                {#if named}
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
              {#if named && shown[0]}
                <div role="cell" class={ledger.classesOf(reading, shown[0])}>
                  <button class="cell" onclick={() => open?.(reading)} aria-label={reading.spoken}
                    >{@render cell(reading, shown[0])}</button
                  >
                </div>
              {/if}
              <!-- eslint-disable-next-line svelte/no-at-html-tags -- its texts are escaped -->
              {@html ledger.cellsOf(reading, named ? shown.slice(1) : shown, picture.axis, fitted.signs)}
            </div>
          {/snippet}
        </Windowed>
      {/if}
    </div>
    {#if more || fitted.gone.length}<p class="more-rows">
        {[
          more ? `${count(more)} more` : '',
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
    container-type: normal;
    display: table;
    table-layout: fixed;
    width: 100%;
    height: auto !important;
    overflow: visible;
  }
  /* Rows on paper are put in their place as text. */
  .ledger > .bed :global {
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
    .signed {
      white-space: nowrap;
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
    .line.head {
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
    .strokes {
      display: block;
      max-width: 100%;
    }
  }
  .paper > .bed :global {
    .line {
      display: table-row;
      contain: none;
      break-inside: avoid;
    }
    .line.head {
      position: static;
      display: table-header-group;
    }
    .line > div {
      position: static;
      background: none;
      display: table-cell;
      height: calc(var(--row) - 2px);
      padding-right: 12px;
      vertical-align: middle;
      border-bottom: 1px solid var(--rule);
    }
    .line > .name {
      overflow-wrap: anywhere;
      white-space: normal;
      line-height: 1.2;
      padding-block: 3px;
    }
    .line > .right {
      text-align: right;
    }
    .c-state svg {
      display: inline-block;
      margin-right: 5px;
      vertical-align: -2px;
    }
  }
  @media screen and (max-width: 760px) {
    .ledger > .bed :global {
      .head button,
      .name button {
        min-height: 44px;
        min-width: 44px;
      }
    }
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
