<script lang="ts">
  /** A staircase from one figure to another: filled took away, open gave, hatched is another mix. */
  import type { Schemas } from '../../api/client'
  import Hatch from '../../faces/Hatch.svelte'
  import { broken } from '../../faces/labels'
  import { sized } from '../../parts/sized'

  interface Props {
    steps: Schemas['StepPicture'][]
    from: { label: string; shown: string; at: number } | null
    to: { label: string; shown: string; at: number } | null
    height?: number
  }
  let { steps, from, to, height = 200 }: Props = $props()
  const uid = $props.id()
  let width = $state(560)
  const FOOT = 36
  const HEAD = 18
  const columns = $derived(steps.length + (from ? 1 : 0) + (to ? 1 : 0))
  const step = $derived(width / Math.max(1, columns))
  const wide = $derived(Math.min(72, step - 10))
  const x = (i: number) => (i + 0.5) * step
  const y = $derived((at: number) => HEAD + (1 - at) * (height - FOOT - HEAD - 16))
  const first = $derived(from ? 1 : 0)
  /** Where each step ends: what stands beside it begins there. */
  const ends = $derived(steps.map((one) => (one.up ? one.high : one.low)))
  const said = $derived(
    [
      from ? `${from.label} ${from.shown}` : '',
      ...steps.map((one) => `${one.name} ${one.shown}`),
      to ? `${to.label} ${to.shown}` : '',
    ]
      .filter(Boolean)
      .join('; '),
  )
</script>

{#snippet name(text: string, at: number)}
  {#each broken(text, 11, step - 4).slice(0, 2) as line, i (i)}
    <text class="name" x={x(at)} y={height - FOOT + 14 + i * 13} text-anchor="middle">{line}</text>
  {/each}
{/snippet}

{#snippet end(one: { label: string; shown: string; at: number }, at: number)}
  <line class="end" x1={x(at) - wide / 2} x2={x(at) + wide / 2} y1={y(one.at)} y2={y(one.at)} />
  <text class="figure" x={x(at)} y={y(one.at) - 8} text-anchor="middle">{one.shown}</text>
  {@render name(one.label, at)}
{/snippet}

<div class="stairs" {@attach sized((w) => (width = w))}>
  <svg {width} {height} role="img" aria-label={said}>
    {#if from}
      {@render end(from, 0)}
      {#if steps.length}<line
          class="joint"
          x1={x(0) + wide / 2}
          x2={x(1) - wide / 2}
          y1={y(from.at)}
          y2={y(from.at)}
        />{/if}
    {/if}
    {#each steps as one, i (i)}
      {@const at = i + first}
      {@const tall = Math.max(1.5, y(one.low) - y(one.high))}
      {#if one.kind === 'mix'}<Hatch id="{uid}-{i}" fill="var(--ink)" ground="var(--sheet)" />{/if}
      <rect
        class="step"
        class:gave={one.up && one.kind !== 'mix'}
        x={x(at) - wide / 2}
        y={y(one.high)}
        width={wide}
        height={tall}
        style:fill={one.kind === 'mix' ? `url(#${uid}-${i})` : undefined}
      />
      <text class="figure" x={x(at)} y={one.up ? y(one.high) - 6 : y(one.low) + 15} text-anchor="middle"
        >{one.shown.replace(/ points?$/, '')}</text
      >
      {@render name(one.name, at)}
      {#if at < columns - 1}<line
          class="joint"
          x1={x(at) + wide / 2}
          x2={x(at + 1) - wide / 2}
          y1={y(ends[i]!)}
          y2={y(ends[i]!)}
        />{/if}
    {/each}
    {#if to}{@render end(to, columns - 1)}{/if}
  </svg>
</div>

<style>
  svg {
    display: block;
    overflow: visible;
  }
  .end {
    stroke: var(--ink);
    stroke-width: 3;
  }
  .joint {
    stroke: var(--soft);
  }
  .step {
    fill: var(--ink);
    stroke: var(--ink);
    stroke-width: 1.4;
  }
  .gave {
    fill: var(--sheet);
  }
  .figure {
    font-size: 12.5px;
    font-weight: 650;
    fill: var(--ink);
  }
  .name {
    font-size: 11px;
    fill: var(--soft);
  }
</style>
