<script lang="ts">
  /** Every KPI with how it stands. */
  import { onDestroy } from 'svelte'
  import { api, got, newest, type Kpi, type Schemas } from '../../api/client'
  import { push } from 'svelte-spa-router'
  import { draftOf } from '../../parts/drafts.svelte'
  import { has } from '../../parts/folded'
  import Sign from '../../parts/Sign.svelte'
  import Spark from '../../parts/Spark.svelte'

  let { kpis, chosen }: { kpis: Kpi[]; chosen?: string } = $props()
  let wanted = $state('')
  let glances = $state<Record<string, Schemas['Glance']>>({})
  const found = $derived(kpis.filter((kpi) => has(kpi.body.name, wanted.trim())))
  const glance = newest(async () => {
    try {
      const found = await got(api.GET('/api/kpis/glances'))
      glances = Object.fromEntries(found.map((one) => [one.id, one]))
      return found.some((one) => one.waiting)
    } catch {
      glances = {} // the list stands without its histories
      return false
    }
  })
  onDestroy(glance.stop)
  $effect(() => {
    void kpis // a KPI that was saved has another history
    void glance()
  })
</script>

<nav class="sheet list" aria-label="KPIs">
  {#if kpis.length > 8}<input
      class="type-in"
      placeholder="Find a KPI"
      aria-label="Find a KPI"
      bind:value={wanted}
      onkeydown={(event) => {
        if (event.key === 'Enter' && wanted.trim() && found[0]) void push(`/kpis/${found[0].id}`)
      }}
    />{/if}
  {#if !found.length && wanted}<p class="soft small none" role="status">No KPI is called “{wanted}”.</p>{/if}
  {#each found as kpi (kpi.id)}
    <a href="#/kpis/{kpi.id}" aria-current={chosen === kpi.id ? 'true' : undefined}>
      <span class="name"
        >{kpi.body.name}{#if draftOf(`kpi:${kpi.id}`)}<span class="small soft unsaved">not saved</span
          >{/if}</span
      >
      {#if glances[kpi.id]}
        {@const glance = glances[kpi.id]!}
        {#if glance.waiting}
          <span class="reading small soft" title={glance.problem || undefined}>being read</span>
        {:else}
          <Spark line={glance.line} target={glance.target} state={glance.state} />
          <span class="now" title={glance.problem || glance.period}
            >{glance.problem ? '!' : glance.shown === 'no reading' ? '–' : glance.shown}</span
          >
          <Sign state={glance.state} />
        {/if}
      {/if}
    </a>
  {/each}
  <a class="also" href="#/kpis/assumptions">Assumptions: prices, rates, wages</a>
</nav>

<style>
  .list {
    overflow: hidden;
  }
  .list .type-in {
    margin: 6px;
    width: calc(100% - 12px);
  }
  .list a {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 58px auto 16px;
    gap: 6px;
    align-items: center;
    padding: 5px 8px 5px 10px;
    min-height: 38px;
    border-bottom: 1px solid var(--rule);
    border-left: 3px solid transparent;
    font-weight: 600;
    font-size: 13px;
    line-height: 1.3;
  }
  .list .also {
    display: block;
    border-bottom: 0;
    padding: 9px 8px 9px 13px;
    color: var(--accent);
    font-weight: 500;
  }
  .unsaved {
    display: block;
    font-weight: 500;
  }
  .none {
    padding: 8px 12px;
  }
  .reading {
    grid-column: 2 / -1;
    text-align: right;
    font-weight: 500;
  }
  .now {
    min-width: 46px;
    text-align: right;
    white-space: nowrap;
  }
  .list a:hover {
    color: var(--accent);
  }
  .list a[aria-current] {
    background: var(--accent-tint);
    border-left-color: var(--accent);
  }
</style>
