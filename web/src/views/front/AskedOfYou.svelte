<script lang="ts">
  /** What waits for somebody: readings without a word, held editions, late datasets, drafts. */
  import type { Schemas } from '../../api/client'
  import NoteSign from '../../parts/NoteSign.svelte'
  import { addressOfReading, FEW } from './reading_address'

  let { front }: { front: Schemas['Front'] } = $props()
  let all = $state(false)
</script>

{#snippet line(asked: string, about: string, href: string, word: string, wanted = false)}
  <li>
    <span><b>{asked}</b><br /><span class="soft small">{about}</span></span>
    <a class="link" {href}
      >{#if wanted}<NoteSign wanted />{/if}
      {word}</a
    >
  </li>
{/snippet}

<section class="sheet asked" aria-labelledby="asked">
  <h2 id="asked">Asked of you</h2>
  <ul>
    {#each front.wanted.slice(0, all ? undefined : FEW) as one (one.scorecard)}
      {@render line(
        `${one.count} ${one.count === 1 ? 'reading' : 'readings'} without a word`,
        `${one.title}, ${one.period_label}`,
        addressOfReading(one.scorecard, one.sheet, one.key, true),
        'Write',
        true,
      )}
    {/each}
    {#each front.held as one (one.id)}
      {@render line(
        'An edition is held',
        `${one.title || 'A scorecard that is gone'}: ${one.said}`,
        '#/editions/calendar',
        'Open',
      )}
    {/each}
    {#each front.late as one (one.dataset)}
      {@render line(
        `${one.name} is late`,
        `${one.said.replace(/\.$/, '')}. ${one.kpis} ${one.kpis === 1 ? 'KPI waits' : 'KPIs wait'} for it`,
        `#/data/${one.dataset}`,
        'Open',
      )}
    {/each}
    {#each front.drafts as one (one.id)}
      {@render line(
        `Edition ${one.number} waits to be published`,
        `${one.title}, ${one.period_label}${one.restated ? `; ${one.restated} restated since` : ''}`,
        `#/editions/${one.id}`,
        'Look',
      )}
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
