<script lang="ts">
  /** Through which day there is data, and each dataset with its own. */
  import { router } from 'svelte-spa-router'
  import { api, got, type Schemas } from '../../api/client'
  import { mediumDay } from '../../api/days'
  import Slot from '../../parts/Slot.svelte'

  let through = $state('')
  /** The datasets, each with its own last complete day. */
  let ends = $state.raw<Schemas['DatasetOut'][]>([])
  $effect(() => {
    void router.location
    got(api.GET('/api/datasets')).then(
      (datasets) => {
        ends = datasets.filter((dataset) => dataset.through)
        // What no KPI reads says nothing of the pages.
        const read = ends.filter((dataset) => dataset.kpis.length)
        const days = [...new Set((read.length ? read : ends).map((dataset) => dataset.through!))].sort()
        through = days.length > 1 ? `${mediumDay(days[0])} – ${mediumDay(days.at(-1))}` : mediumDay(days[0])
      },
      () => (ends = []),
    )
  })
</script>

{#if ends.length}
  <span class="through"
    ><span class="words">Data through&nbsp;</span><Slot text={through} label="Data through" width={300}>
      {#snippet children()}
        <ul class="ends">
          {#each ends as one (one.id)}<li>
              <a href="#/data/{one.id}">{one.name}</a><span>{mediumDay(one.through)}</span>
            </li>{/each}
        </ul>
      {/snippet}
    </Slot></span
  >
{/if}

<style>
  .through {
    font-size: 13px;
  }
  .ends {
    max-height: 60vh;
    overflow: auto;
  }
  .ends li {
    display: flex;
    gap: 12px;
    justify-content: space-between;
    padding: 5px 6px;
    border-bottom: 1px solid var(--rule);
    color: var(--ink);
  }
  .ends a {
    min-width: 0;
    overflow-wrap: anywhere;
  }
  .ends a:hover {
    color: var(--accent);
  }
  .ends span {
    flex: none;
    color: var(--soft);
  }
  .through > :global(button) {
    color: #fff;
    font-size: 12.5px;
  }
  .through > :global(button[aria-expanded='true']) {
    background: none;
  }
  @media (max-width: 1120px) {
    .through .words {
      display: none;
    }
  }
  @media (max-width: 700px) {
    .through {
      display: none;
    }
  }
</style>
