<script lang="ts">
  /** The sign that a value lies past the end of its axis: two wedges pointing on. */
  let { past, at, size = 6 }: { past: number; at: number; size?: number } = $props()
  const wedge = $derived(`M0 ${at - size}L${size * 0.9 * past} ${at}L0 ${at + size}Z`)
</script>

{#if past}
  <svg x={past > 0 ? '100%' : '0%'} overflow="visible" class="overrun">
    <g transform="translate({-past * size * 2.4} 0)" fill="var(--sheet)" stroke="var(--ink)" stroke-width="1">
      <path d={wedge} />
      <path d={wedge} transform="translate({past * size} 0)" />
    </g>
  </svg>
{/if}
