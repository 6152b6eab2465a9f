<script lang="ts">
  /** How a ledger draws: its columns in their order, by what its rows are grouped, and what a stroke stands for. */
  import type { CardPicture, Instrument, Schemas } from '../../api/client'
  import type { Look } from '../../faces/looks'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import Typed from '../../parts/Typed.svelte'
  import type { Pick } from './pick'

  interface Props {
    instrument: Instrument
    segments: CardPicture['segments']
    draw: (make: (look: Look) => void) => void
    pick: Pick
  }
  let { instrument, segments, draw, pick }: Props = $props()
  type Column = Schemas['LedgerLook']['columns'][number]
  const look = $derived(instrument.look)
  const COLUMNS: Record<Column, string> = {
    value: 'value',
    mark: 'mark',
    gap: 'gap',
    attainment: 'share reached',
    bullet: 'on its bands',
    progress: 'progress',
    strokes: 'tally strokes',
    headroom: 'headroom both ways',
    trail: 'history',
    usual: 'usual range',
    signal: 'signal',
    outlook: 'outlook',
    state: 'state',
  }
  function toggleColumn(column: string) {
    draw((draft) => {
      const held = draft.ledger.columns
      draft.ledger.columns = held.includes(column as Column)
        ? held.filter((other) => other !== column)
        : [...held, column as Column]
    })
  }
  function shift(at: number, way: -1 | 1) {
    draw((draft) => {
      const [column] = draft.ledger.columns.splice(at, 1)
      draft.ledger.columns.splice(at + way, 0, column!)
    })
  }
</script>

<p class="soft">
  Shows <Slot text="{look.ledger.columns.length} columns" label="Columns" width={270}>
    {#snippet children()}
      <ol class="columns">
        {#each look.ledger.columns as column, at (column)}
          <li>
            <span>{COLUMNS[column]}</span>
            <button
              class="act quiet"
              disabled={!at}
              aria-label="{COLUMNS[column]} to the left"
              onclick={() => shift(at, -1)}>←</button
            >
            <button
              class="act quiet"
              disabled={at === look.ledger.columns.length - 1}
              aria-label="{COLUMNS[column]} to the right"
              onclick={() => shift(at, 1)}>→</button
            >
          </li>
        {/each}
      </ol>
      <Choices
        choices={Object.entries(COLUMNS).map(([key, name]) => ({ key, name }))}
        many={look.ledger.columns}
        choose={toggleColumn}
      />
    {/snippet}
  </Slot>{#if instrument.by}, grouped by {@render pick(
      'Groups',
      segments.find((segment) => segment.name === look.ledger.group)?.label.toLowerCase() ?? 'nothing',
      look.ledger.group ?? '',
      [
        { key: '', name: 'nothing' },
        ...segments
          .filter((segment) => segment.name !== instrument.by)
          .map((segment) => ({ key: segment.name, name: segment.label.toLowerCase() })),
      ],
      (key) => draw((draft) => (draft.ledger.group = key || null)),
    )}{/if}.
</p>
{#if look.ledger.columns.includes('strokes')}
  <label class="small stroke"
    >one stroke stands for<Typed
      label="One stroke"
      kpi={instrument.kpi}
      blank
      shown={look.ledger.stroke == null ? '' : String(look.ledger.stroke)}
      keep={(stroke) => draw((draft) => (draft.ledger.stroke = stroke && stroke > 0 ? stroke : null))}
    /></label
  >
{/if}

<style>
  .columns {
    list-style: none;
    padding: 0 0 6px;
    border-bottom: 1px solid var(--rule);
    margin-bottom: 4px;
  }
  .columns li {
    display: flex;
    align-items: center;
    padding: 0 8px;
  }
  .columns span {
    flex: 1;
  }
  .stroke {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 8px;
    align-items: center;
    margin: 2px 0;
  }
</style>
