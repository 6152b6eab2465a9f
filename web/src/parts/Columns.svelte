<script lang="ts">
  /** A KPI's figures by month as columns: height by value, hatched where partial, a gap where there is none. */
  import type { Schemas } from '../api/client'

  let { figures }: { figures: Schemas['Figure'][] } = $props()
  const values = $derived(figures.map((figure) => figure.value).filter((value) => value != null))
  const top = $derived(Math.max(0, ...values))
  const bottom = $derived(Math.min(0, ...values))
  // Shares that differ little would all look alike from zero: then the columns start below the smallest.
  const least = $derived(
    bottom === 0 && values.length > 1 && Math.min(...values) > 0.6 * top
      ? Math.min(...values) - (top - Math.min(...values)) * 0.6
      : bottom,
  )
  const height = (value: number) => (top === least ? 60 : ((value - least) / (top - least)) * 100)
  const every = $derived(Math.ceil(figures.length / 12))
</script>

<div
  class="columns"
  role="img"
  aria-label="By month: {figures.map((figure) => `${figure.label} ${figure.shown}`).join(', ')}"
>
  {#each figures as figure, i (figure.label)}
    <div class="month" title="{figure.label}: {figure.shown}{figure.partial ? ', partial' : ''}">
      <span class="bar-space">
        {#if figure.value != null}<span
            class="column"
            class:partial={figure.partial}
            style:height="{Math.max(1.5, height(figure.value))}%"
          ></span>
        {:else}<span class="none"></span>{/if}
      </span>
      <span class="label"
        >{i % every === 0
          ? figure.label.slice(0, 3) +
            (figure.label.startsWith('Jan') || i === 0 ? ` ${figure.label.slice(-2)}` : '')
          : ''}</span
      >
    </div>
  {/each}
</div>
{#if least > 0}<p class="small soft">
    The columns do not start at zero, so that differences can be seen.
  </p>{/if}

<style>
  .columns {
    display: flex;
    gap: 3px;
    height: 130px;
  }
  .month {
    display: flex;
    flex-direction: column;
    flex: 1;
    min-width: 0;
  }
  .bar-space {
    display: flex;
    align-items: flex-end;
    flex: 1;
    min-height: 0;
  }
  .column {
    width: 100%;
    background: var(--soft);
    border-radius: 2px 2px 0 0;
  }
  .column.partial {
    background: repeating-linear-gradient(45deg, var(--soft) 0 3px, var(--track) 3px 6px);
  }
  .none {
    width: 100%;
    height: 14px;
    border: 1px dashed var(--nothing);
    border-bottom: none;
  }
  .label {
    font-size: 11px;
    color: var(--soft);
    white-space: nowrap;
    height: 16px;
    overflow: visible;
  }
</style>
