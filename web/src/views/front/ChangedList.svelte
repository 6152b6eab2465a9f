<script lang="ts">
  /** The readings whose state changed, each with its word or the way to write one. */
  import type { Schemas } from '../../api/client'
  import { stateOf } from '../../api/states.svelte'
  import Sign from '../../parts/Sign.svelte'
  import { addressOfReading, FEW } from './reading_address'

  let { front }: { front: Schemas['Front'] } = $props()

  let all = $state(false)
  /** What usual variation explains stands behind one word: there is nothing to say of it. */
  const noise = $derived(front.changed.filter((row) => row.usual && !row.signal && !row.partial))
  const early = $derived(front.changed.filter((row) => row.partial))
  const telling = $derived(front.changed.filter((row) => !row.partial && (row.signal || !row.usual)))
  const signals = $derived(front.changed.filter((row) => row.signal).length)
  let within = $state(false)
  let unfinished = $state(false)
  const some = $derived(all ? telling : telling.slice(0, FEW))
  const rows = $derived([...some, ...(within ? noise : []), ...(unfinished ? early : [])])
  const standing = (row: Schemas['ChangedRow']) => ({
    usual: row.signal ? { signal: row.signal } : null,
    few: row.few ? 'few' : '',
  })
  const periods = $derived([...new Set(front.changed.map((row) => row.period_label))])
  const named = (state: string | null | undefined) => stateOf(state)?.name ?? 'not graded'
</script>

<section class="sheet changed" aria-labelledby="changed">
  <div class="line">
    <h2 id="changed">Changed state</h2>
    <span class="small soft"
      >{front.changed.length + front.more} of {front.of} readings{periods.length === 1
        ? ` · ${periods[0]}`
        : ''} · {signals || 'none'} of them {signals === 1 ? 'a signal' : 'signals'}</span
    >
  </div>
  <ul class="rows">
    {#each rows as row (row.about)}
      <li>
        <a href={addressOfReading(row.scorecard, row.sheet, row.key)}>
          <span class="signs"
            ><Sign state={row.before} /> <span aria-hidden="true">→</span>
            <Sign state={row.state} of={standing(row)} /><span class="sr-only"
              >{named(row.before)} to {named(row.state)}</span
            ></span
          >
          <b class="name">{row.name}</b>
          <b class="figure">{row.shown}</b>
          <span class="soft"
            >{#if row.signal}<b class="small">{row.signal}</b>{:else if row.usual}{row.against}<span
                class="small"
              >
                · usual {row.usual}</span
              >{:else}{row.against}{/if}</span
          >
          <span class="soft small where">{row.title}{periods.length > 1 ? `, ${row.period_label}` : ''}</span>
        </a>
        {#if row.note}<span class="word small soft" title={row.note}>“{row.note}”</span>
        {:else if row.wanted}<span class="word small"
            ><a class="link" href={addressOfReading(row.scorecard, row.sheet, row.key, true)}>Say why</a
            ></span
          >{:else}<span class="word"></span>{/if}
      </li>
    {:else}
      <li class="none soft">
        {front.changed.length
          ? 'No change that its usual variation does not explain.'
          : 'No reading changed its state.'}
      </li>
    {/each}
  </ul>
  {#if telling.length > FEW}
    <button class="act quiet more" onclick={() => (all = !all)}
      >{all ? 'Fewer' : `${telling.length - FEW} more`}</button
    >
  {/if}
  {#if noise.length}
    <button class="act quiet more" aria-expanded={within} onclick={() => (within = !within)}
      >{noise.length} within their usual variation</button
    >
  {/if}
  {#if early.length}
    <button class="act quiet more" aria-expanded={unfinished} onclick={() => (unfinished = !unfinished)}
      >{early.length} in a period that is not over</button
    >
  {/if}
</section>

<style>
  .changed {
    padding: 12px 14px;
  }
  .line {
    display: flex;
    align-items: baseline;
    justify-content: space-between;
    gap: 12px;
  }
  ul {
    list-style: none;
  }
  .rows {
    margin-top: 6px;
  }
  .rows li {
    display: flex;
    align-items: center;
    gap: 12px;
    border-top: 1px solid var(--rule);
  }
  .rows li:first-child {
    border-top: none;
  }
  .rows li > a {
    flex: 1;
    display: grid;
    grid-template-columns: 62px minmax(120px, 1.7fr) 80px minmax(120px, 1.2fr) minmax(110px, 1fr);
    gap: 12px;
    align-items: center;
    min-height: 33px;
    padding: 4px 0;
  }
  .rows li > a:hover .name {
    color: var(--accent);
  }
  .none {
    padding: 8px 0;
  }
  .figure {
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  .signs {
    display: inline-flex;
    align-items: center;
    gap: 4px;
    white-space: nowrap;
  }
  .where {
    line-height: 1.3;
  }
  .word {
    flex: 0 0 104px;
    text-align: right;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .rows:not(:has(.word.small)) .word {
    display: none;
  }
  .more {
    margin-top: 4px;
  }
  @media (max-width: 600px) {
    .rows li {
      flex-wrap: wrap;
    }
    .rows li > a {
      grid-template-columns: 58px minmax(0, 1fr) auto;
      row-gap: 0;
      min-height: 44px;
    }
    .rows li > a .soft {
      grid-column: 2 / -1;
    }
    .word:not(.small) {
      display: none;
    }
    .word {
      flex: 1 1 100%;
      text-align: left;
      padding: 6px 0 14px 70px;
      overflow: visible;
    }
  }
</style>
