<svelte:options namespace="svg" />

<script lang="ts">
  /** What is usual, as two thin lines with their middle; where a new range starts there is a gap and its reason. */
  import type { Schemas } from '../api/client'

  interface Props {
    points: Schemas['HistoryPoint'][]
    step: number
    y: (fraction: number) => number
  }
  let { points, step, y }: Props = $props()
  interface Stretch {
    from: number
    to: number
    why: string
  }
  const ranges = $derived.by(() => {
    const found: Stretch[] = []
    points.forEach((point, i) => {
      if (point.low === null || point.low === undefined) return
      const last = found.at(-1)
      if (last && last.to === i - 1 && !point.begins && !point.new_range) last.to = i
      else found.push({ from: i, to: i, why: point.begins ?? '' })
    })
    return found
  })
  const edge = (range: Stretch, end: 'low' | 'middle' | 'high') =>
    points
      .slice(range.from, range.to + 1)
      .flatMap((point, i) => {
        const at = y(point[end] ?? 0)
        const left = (range.from + i) * step + (i === 0 && range.from ? 2 : 0)
        return [
          `${left},${at}`,
          `${(range.from + i + 1) * step - (range.from + i === range.to ? 2 : 0)},${at}`,
        ]
      })
      .join(' ')
</script>

{#each ranges as range (range.from)}
  {#each ['low', 'high'] as const as end (end)}
    <polyline class="usual" points={edge(range, end)} />
  {/each}
  <polyline class="usual middle" points={edge(range, 'middle')} />
  {#if range.why}<text class="why" x={range.from * step + 3} y={11}>{range.why}</text>{/if}
{/each}
{#each points as point, i (point.key)}
  {#if point.named}
    <line class="named" x1={i * step} x2={i * step} y1="0" y2={y(0)} />
    {@const last = i * step > step * points.length * 0.7}
    <text class="why" x={i * step + (last ? -4 : 4)} y={y(0) - 5} text-anchor={last ? 'end' : 'start'}
      >{point.named}</text
    >
  {/if}
{/each}

<style>
  .usual {
    fill: none;
    stroke: var(--ink);
    stroke-width: 1;
    pointer-events: none;
  }
  .middle {
    stroke-dasharray: 2 4;
  }
  .named {
    stroke: var(--ink);
    stroke-dasharray: 1 3;
  }
  .why {
    font-size: 10.5px;
    fill: var(--ink);
  }
</style>
