<script lang="ts">
  /** What bullet and bar share: one reading in large, or members one under the other on one axis. */
  import type { Snippet } from 'svelte'
  import type { Picture, Reading } from '../api/client'

  interface Props {
    picture: Picture
    open?: (reading: Reading) => void
    row: Snippet<[Reading, number]>
    tail: Snippet<[Reading]>
  }
  let { picture, open, row, tail }: Props = $props()
  const many = $derived(picture.readings.length > 1 || picture.readings[0]?.member != null)
  const ticks = $derived(picture.axis?.ticks ?? [])
  const clear = $derived(many ? ticks.filter((_, i) => i % Math.ceil(ticks.length / 4) === 0) : ticks)
</script>

{#snippet axis()}
  {#if clear.length}
    <div class="ticks" aria-hidden="true">
      {#each clear as tick (tick.fraction)}
        <span
          class:first={tick.fraction < 0.04}
          class:last={tick.fraction > 0.96}
          style:left="{tick.fraction * 100}%">{tick.label}</span
        >
      {/each}
    </div>
  {/if}
{/snippet}

{#if many}
  <div class="rows" role="list">
    {#each picture.readings as reading, i (reading.member)}
      <div role="listitem" class="item">
        <button
          class="row"
          onclick={() => open?.(reading)}
          aria-label={reading.spoken}
          title={reading.spoken}
        >
          <span class="name">{reading.label}</span>
          <span class="scale">{@render row(reading, i)}</span>
          <span class="shown" class:none={reading.value === null}>{reading.shown}</span>
          <span class="tail">{@render tail(reading)}</span>
        </button>
      </div>
    {/each}
    <div class="row axis-row">
      <span></span><span class="scale">{@render axis()}</span><span></span><span></span>
    </div>
  </div>
{:else if picture.readings[0]}
  <div class="single">
    {@render row(picture.readings[0], 0)}
    {@render axis()}
  </div>
{/if}

<style>
  .rows {
    display: flex;
    flex-direction: column;
    height: 100%;
    overflow: hidden auto;
    container-type: inline-size;
  }
  .row {
    display: grid;
    width: 100%;
    grid-template-columns: minmax(60px, 26%) minmax(50px, 1fr) minmax(52px, max-content) minmax(
        24px,
        max-content
      );
    gap: 10px;
    align-items: center;
    padding: 1px 4px 0;
    text-align: left;
    border-bottom: 1px solid var(--rule);
    flex: 1 0 25px;
    max-height: 36px;
    font-size: 13px;
    cursor: pointer;
  }
  .item {
    display: flex;
    flex: 1 0 25px;
    max-height: 36px;
  }
  button.row:hover {
    background: var(--accent-tint);
  }
  @container (max-width: 300px) {
    .row {
      grid-template-columns: minmax(80px, 36%) minmax(40px, 1fr) max-content max-content;
      gap: 6px;
    }
  }
  .axis-row {
    border: none;
    overflow: hidden;
    flex: none;
    cursor: default;
  }
  .name {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .shown {
    text-align: right;
    font-weight: 650;
  }
  .none {
    font-weight: 400;
    color: var(--soft);
  }
  .tail {
    display: inline-flex;
    align-items: center;
    gap: 8px;
    justify-content: flex-end;
    min-width: 24px;
  }
  .ticks {
    container: ticks / inline-size;
    position: relative;
    height: 15px;
    font-size: 11px;
    color: var(--soft);
  }
  .ticks span {
    position: absolute;
    transform: translateX(-50%);
  }
  @container ticks (max-width: 150px) {
    .ticks span:nth-child(even) {
      display: none;
    }
  }
  .ticks .first {
    transform: none;
  }
  .ticks .last {
    transform: translateX(-100%);
  }
</style>
