<script lang="ts">
  /** The head of a ledger: how many rows there are, the way to take them out, and columns to sort by. */
  import { getContext } from 'svelte'
  import { count } from '../api/numbers'
  import Slot from '../parts/Slot.svelte'
  import { isNumber, type Column, type Order } from './ledger'

  interface Props {
    /** Those that find room, each with its least pixels and whether it takes more. */
    columns: { column: Column; px: number; grows: boolean }[]
    heads: Record<Column, string>
    rows: number
    sorted: Order
    sortBy: (column: Column | 'name') => void
    /** States are told by their sign alone. */
    signs: boolean
    /** The rows as a table to be pasted elsewhere. */
    table: () => string
    take?: (kind: 'csv' | 'xlsx') => void
  }
  let { columns, heads, rows, sorted, sortBy, signs, table, take }: Props = $props()
  const paper = getContext('paper')
  let said = $state('')
  async function copy() {
    try {
      await navigator.clipboard.writeText(table())
      said = `${count(rows)} rows copied`
    } catch {
      said = 'The browser does not let this page copy. Take the rows out as CSV instead.'
    }
  }
  /** On paper, where the rows are a table, figures are as wide as they need. */
  const width = (column: Column | 'name') => {
    const held = columns.find((one) => one.column === column)
    return paper && held && !held.grows ? `${held.px + 12}px` : undefined
  }
  const way = $derived(sorted?.down ? '↓' : '↑')
</script>

<div class="line head" role="row">
  {#each ['name', ...columns.map((one) => one.column)] as const as column (column)}
    <div
      role="columnheader"
      aria-sort={sorted?.by !== column ? 'none' : sorted.down ? 'descending' : 'ascending'}
      class:right={isNumber(column)}
      style:width={width(column)}
    >
      {#if column === 'name'}
        {#if take}
          <Slot text="{count(rows)} rows" label="Take the rows out" width={230}>
            {#snippet children(close)}
              <button class="act quiet" onclick={copy}>Copy as a table</button>
              {#each ['csv', 'xlsx'] as const as kind (kind)}
                <button
                  class="act quiet"
                  onclick={() => {
                    take(kind)
                    close()
                  }}>Take out as {kind.toUpperCase()}</button
                >
              {/each}
              <p class="small soft" aria-live="polite">{said}</p>
            {/snippet}
          </Slot>
        {:else}{count(rows)} rows{/if}
        {#if !paper}<button onclick={() => sortBy('name')} title="Sort by name" aria-label="Sort by name"
            >{sorted?.by === 'name' ? way : '↕'}</button
          >{/if}
      {:else if paper}{heads[column]}
      {:else}
        <button onclick={() => sortBy(column)} title="Sort by {heads[column].toLocaleLowerCase()}">
          <span class={column === 'state' && signs ? 'sr-only' : ''}>{heads[column]}</span
          >{#if sorted?.by === column}<span aria-hidden="true">&nbsp;{way}</span>{/if}
        </button>
      {/if}
    </div>
  {/each}
</div>
