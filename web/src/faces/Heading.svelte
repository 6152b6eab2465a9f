<svelte:options namespace="svg" />

<script lang="ts">
  /** Where a period under way is going, on a straight scale: a hollow end with its range. Not of sums, whose scale is as far
   *  as the period is. */
  import type { Reading } from '../api/client'

  let { going, at, size = 5 }: { going: Reading['going']; at: number; size?: number } = $props()
</script>

{#if going && going.at > 0 && going.at < 1}
  <rect
    x="{going.low * 100}%"
    width="{Math.max(0.4, (going.high - going.low) * 100)}%"
    y={at - 2}
    height="4"
    fill="var(--ink)"
    fill-opacity="0.4"
  />
  <circle
    class="heading"
    cx="{going.at * 100}%"
    cy={at}
    r={size}
    fill="var(--sheet)"
    stroke="var(--ink)"
    stroke-width="1.6"><title>{going.told}</title></circle
  >
{/if}
