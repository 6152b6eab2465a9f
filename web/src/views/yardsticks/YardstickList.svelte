<script lang="ts">
  /** Every yardstick with the signs of its bands. */
  import type { Yardstick } from '../../api/client'
  import Sign from '../../parts/Sign.svelte'

  let { yardsticks, chosen }: { yardsticks: Yardstick[] | null; chosen?: string } = $props()
</script>

<nav class="sheet" aria-label="Yardsticks">
  {#each yardsticks ?? [] as known (known.id)}
    <a href="#/yardsticks/{known.id}" aria-current={chosen === known.id ? 'true' : undefined}>
      <span>{known.body.name}</span>
      <span class="signs"
        >{#each known.body.bands as band, i (i)}<Sign state={band} size={14} />{/each}</span
      >
    </a>
  {:else}
    <p class="small soft pad">
      {#if yardsticks}There is no yardstick yet. One grades a KPI: <a class="link" href="#/kpis"
          >write a KPI</a
        >
        first, or have both proposed <a class="link" href="#/rows">from rows</a>.{:else}Reading…{/if}
    </p>
  {/each}
</nav>

<style>
  nav > a {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 8px;
    padding: 8px 10px;
    font-weight: 600;
    border-bottom: 1px solid var(--rule);
    border-left: 3px solid transparent;
  }
  nav > a:hover {
    color: var(--accent);
  }
  nav > a[aria-current] {
    background: var(--accent-tint);
    border-left-color: var(--accent);
  }
  .signs {
    display: inline-flex;
    gap: 3px;
  }
  .pad {
    padding: 14px 16px;
  }
</style>
