<script lang="ts">
  /** What waits for somebody: readings without a word, held editions, late datasets, drafts. */
  import type { Schemas } from '../../api/client'
  import NoteSign from '../../parts/NoteSign.svelte'
  import { addressOfReading, FEW } from './reading_address'

  let { front }: { front: Schemas['Front'] } = $props()
  let all = $state(false)
</script>

<section class="sheet asked" aria-labelledby="asked">
  <h2 id="asked">Asked of you</h2>
  <ul>
    {#each front.wanted.slice(0, all ? undefined : FEW) as one (one.scorecard)}
      <li>
        <span
          ><b>{one.count} {one.count === 1 ? 'reading' : 'readings'} without a word</b><br /><span
            class="soft small">{one.title}, {one.period_label}</span
          ></span
        >
        <a class="link" href={addressOfReading(one.scorecard, one.sheet, one.key, true)}
          ><NoteSign wanted /> Write</a
        >
      </li>
    {/each}
    {#each front.held as one (one.id)}
      <li>
        <span
          ><b>An edition is held</b><br /><span class="soft small"
            >{one.title || 'A scorecard that is gone'}: {one.said}</span
          ></span
        >
        <a class="link" href="#/editions/calendar">Open</a>
      </li>
    {/each}
    {#each front.late as one (one.dataset)}
      <li>
        <span
          ><b>{one.name} is late</b><br /><span class="soft small"
            >{one.said.replace(/\.$/, '')}. {one.kpis}
            {one.kpis === 1 ? 'KPI waits' : 'KPIs wait'} for it</span
          ></span
        >
        <a class="link" href="#/data/{one.dataset}">Open</a>
      </li>
    {/each}
    {#each front.drafts as one (one.id)}
      <li>
        <span
          ><b>Edition {one.number} waits to be published</b><br /><span class="soft small"
            >{one.title}, {one.period_label}{one.restated ? `; ${one.restated} restated since` : ''}</span
          ></span
        >
        <a class="link" href="#/editions/{one.id}">Look</a>
      </li>
    {/each}
  </ul>
  {#if front.wanted.length > FEW}
    <button class="act quiet more" onclick={() => (all = !all)}
      >{all ? 'Fewer' : `${front.wanted.length - FEW} more without a word`}</button
    >
  {/if}
</section>

<style>
  .asked {
    padding: 12px 14px;
  }
  ul {
    list-style: none;
  }
  .more {
    margin-top: 4px;
  }
  .asked li {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 12px;
    padding: 8px 0;
    border-top: 1px solid var(--rule);
    line-height: 1.35;
  }
  .asked li:first-child {
    border-top: none;
  }
  .asked .link {
    display: inline-flex;
    align-items: center;
    gap: 5px;
    white-space: nowrap;
    font-weight: 620;
  }
</style>
