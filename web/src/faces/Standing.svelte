<script lang="ts">
  /** Bullets that stand: bands behind, the value rising from its foot, marks across; many share one axis. */
  import type { Reading } from '../api/client'
  import { tint } from '../api/states.svelte'
  import Hatch from './Hatch.svelte'
  import { shortened, widthOf } from './labels'
  import { paint, type FaceProps } from './looks'
  import { lists } from './names.svelte'
  import { sized } from '../parts/sized'

  let { picture, open }: Pick<FaceProps, 'picture' | 'open'> = $props()
  const uid = $props.id()
  let width = $state(300)
  let height = $state(160)
  const many = $derived(lists(picture))
  const ticks = $derived(picture.axis?.ticks ?? [])
  const zero = $derived(picture.axis?.zero ?? 0)
  const left = $derived(Math.max(0, ...ticks.map((tick) => widthOf(tick.label, 11))) + 10)
  const foot = $derived(many ? 34 : 6)
  const H = $derived(Math.max(30, height - foot - 10))
  const step = $derived((width - left) / Math.max(1, picture.readings.length))
  const thick = $derived(Math.min(44, step * 0.62))
  const x = $derived((i: number) => left + (i + 0.5) * step)
  const y = $derived((fraction: number) => 6 + (1 - fraction) * H)
  /** Ticks nearer than a line of text to the one below yield. */
  const shown = $derived(
    ticks.reduce<typeof ticks>(
      (kept, tick) =>
        kept.length && (tick.fraction - kept.at(-1)!.fraction) * H < 14 ? kept : [...kept, tick],
      [],
    ),
  )
  const most = $derived(Math.max(2, Math.floor(step / 6.2)))
</script>

{#snippet bullet(reading: Reading, i: number)}
  {#each reading.bands as band (band.start)}
    <rect
      x={x(i) - thick / 2}
      y={y(band.end)}
      width={thick}
      height={(band.end - band.start) * H}
      fill={tint(band.state)}
      stroke="var(--sheet)"
    />
  {:else}
    <rect x={x(i) - thick / 2} y={y(1)} width={thick} height={H} fill="var(--nothing-tint)" />
  {/each}
  {#if reading.value !== null}
    {#if reading.partial}<Hatch id="{uid}-{i}" fill={paint(reading)} ground={tint(reading.state)} />{/if}
    <rect
      class="value"
      x={x(i) - thick * 0.18}
      width={thick * 0.36}
      y={y(Math.max(zero, reading.fraction))}
      height={Math.abs(reading.fraction - zero) * H}
      fill={reading.partial ? `url(#${uid}-${i})` : paint(reading)}
    />
    {#if picture.axis?.broken}
      <path
        d="M{x(i) - thick * 0.26} {y(0) - 5}l{thick * 0.52} -4M{x(i) - thick * 0.26} {y(0) - 9}l{thick *
          0.52} -4"
        stroke="var(--sheet)"
        stroke-width="2"
      >
        <title>The axis does not start at zero</title>
      </path>
    {/if}
    {#if reading.past}
      <path
        class="overrun"
        transform="translate({x(i)} {reading.past > 0 ? 18 : H - 4}) rotate({reading.past > 0 ? -90 : 90})"
        d="M-6 -5L0 0L-6 5ZM0 -5L6 0L0 5Z"
        fill="var(--sheet)"
        stroke="var(--ink)"
      />
    {/if}
  {/if}
  {#each reading.marks.filter((mark) => !mark.past) as mark (mark.name)}
    <g transform="translate({x(i)} {y(mark.fraction)})">
      <path d="M{-thick / 2} 0H{thick / 2}" stroke="var(--sheet)" stroke-width="4" />
      <path d="M{-thick / 2} 0H{thick / 2}" stroke="var(--ink)" stroke-width="2" />
      <path d="M{thick / 2 + 5} -3.8V3.8L{thick / 2 - 1} 0Z" fill="var(--ink)" />
      <title>{mark.name} {mark.shown}</title>
    </g>
  {/each}
  {#if many}
    <text x={x(i)} y={height - 18} text-anchor="middle" class:none={reading.value === null}
      >{reading.value === null ? '–' : shortened(reading.shown, most)}</text
    >
    <text class="name" x={x(i)} y={height - 4} text-anchor="middle">{shortened(reading.label, most)}</text>
  {/if}
{/snippet}

<div class="standing" {@attach sized((w, h) => ((width = w), (height = h)))}>
  <svg {width} {height} role="presentation">
    {#each shown as tick (tick.fraction)}
      <text class="name" x={left - 8} y={y(tick.fraction) + 4} text-anchor="end">{tick.label}</text>
    {/each}
    {#each picture.readings as reading, i (reading.key)}
      {#if many && open}
        <g
          role="button"
          tabindex="0"
          class="one"
          aria-label={reading.spoken}
          onclick={() => open?.(reading)}
          onkeydown={(event) => (event.key === 'Enter' || event.key === ' ') && open?.(reading)}
        >
          <rect x={x(i) - step / 2} y="0" width={step} {height} fill="transparent" />
          {@render bullet(reading, i)}
          <title>{reading.spoken}</title>
        </g>
      {:else}{@render bullet(reading, i)}{/if}
    {/each}
  </svg>
</div>

<style>
  .standing {
    height: 100%;
    min-height: 90px;
    overflow: hidden;
  }
  svg {
    display: block;
  }
  text {
    font-size: 12px;
    font-weight: 650;
    fill: var(--ink);
  }
  .name {
    font-size: 11px;
    font-weight: 450;
    fill: var(--soft);
  }
  .none {
    fill: var(--soft);
  }
  .one {
    cursor: pointer;
  }
  .one:hover > rect:first-child,
  .one:focus-visible > rect:first-child {
    fill: color-mix(in srgb, var(--accent) 9%, transparent);
  }
  .value {
    transition:
      y 0.35s ease-out,
      height 0.35s ease-out;
  }
</style>
