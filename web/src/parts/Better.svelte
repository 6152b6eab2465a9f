<script lang="ts">
  /** Asks which way of a KPI is better, where nobody has said so yet: nothing is graded by a guess. */
  import type { Schemas } from '../api/client'

  type Direction = Schemas['KpiBody']['direction']
  let { name, say }: { name: string; say: (direction: NonNullable<Direction>) => void } = $props()
  const WAYS = [
    ['higher', 'More'],
    ['lower', 'Less'],
    ['inside', 'Inside a range'],
  ] as const
</script>

<span class="ask" role="group" aria-label="Which way of {name} is better">
  <span>Is more better, less, or inside a range?</span>
  {#each WAYS as [key, label] (key)}
    <button class="act" onclick={() => say(key)}>{label}</button>
  {/each}
</span>

<style>
  .ask {
    display: inline-flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px 6px;
  }
  .ask button {
    min-height: 24px;
    padding: 1px 8px;
    font-size: 12.5px;
  }
</style>
