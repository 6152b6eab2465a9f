<script lang="ts">
  /** A KPI's figures by member, as plain bars from zero. */
  import type { Schemas } from '../api/client'

  let { figures }: { figures: Schemas['Figure'][] } = $props()
  const most = $derived(Math.max(0, ...figures.map((figure) => Math.abs(figure.value ?? 0))))
  const share = (value: number | null | undefined) =>
    value != null && most ? (Math.abs(value) / most) * 100 : 0
</script>

<div class="members">
  {#each figures as figure (figure.label)}
    <div class="member">
      <span class="name" title={figure.label}>{figure.label}</span>
      <span class="track"><span class="fill" style:width="{share(figure.value)}%"></span></span>
      <span class="value" class:soft={figure.value == null}>{figure.shown}</span>
    </div>
  {/each}
</div>

<style>
  .members {
    max-height: 330px;
    overflow: auto;
  }
  .member {
    display: grid;
    grid-template-columns: 150px 1fr 90px;
    gap: 12px;
    align-items: center;
    padding: 4px 0;
    border-bottom: 1px solid var(--rule);
  }
  .name {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .track {
    height: 10px;
    background: var(--track);
  }
  .fill {
    display: block;
    height: 100%;
    background: var(--soft);
  }
  .value {
    text-align: right;
    font-weight: 640;
  }
</style>
