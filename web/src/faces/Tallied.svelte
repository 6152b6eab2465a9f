<script lang="ts">
  /** Tally strokes in fives, the fifth across the four before it. */
  let { count, colour }: { count: number; colour: string } = $props()
  const fives = $derived(Math.floor(count / 5))
  const path = $derived.by(() => {
    const parts: string[] = []
    for (let five = 0; five < fives; five++) {
      const x = five * 20 + 2
      for (let i = 0; i < 4; i++) parts.push(`M${x + i * 4} 2V14`)
      parts.push(`M${x - 2} 12L${x + 14} 4`)
    }
    for (let i = 0; i < count % 5; i++) parts.push(`M${fives * 20 + 2 + i * 4} 2V14`)
    return parts.join('')
  })
</script>

<svg
  class="tallied"
  viewBox="0 0 {Math.max(20, fives * 20 + (count % 5) * 4 + 2)} 16"
  height="16"
  preserveAspectRatio="xMinYMid meet"
  role="presentation"
>
  <path d={path} stroke={colour} stroke-width="1.8" fill="none" />
  <title>{count} strokes</title>
</svg>

<style>
  .tallied {
    display: block;
    max-width: 100%;
  }
</style>
