<script lang="ts">
  /** Bands, a thinner value bar and marks on one axis; lying or standing, one reading or many. */
  import type { Reading } from '../api/client'
  import { tint } from '../api/states.svelte'
  import Sign from '../parts/Sign.svelte'
  import { grabbing } from './grab'
  import Heading from './Heading.svelte'
  import Hatch from './Hatch.svelte'
  import Mark from './Mark.svelte'
  import Overrun from './Overrun.svelte'
  import Rows from './Rows.svelte'
  import Standing from './Standing.svelte'
  import { widthOf } from './labels'
  import { paint, type FaceProps } from './looks'
  import { lists } from './names.svelte'

  let { picture, look, mini = false, open, grab }: FaceProps = $props()
  const uid = $props.id()
  const many = $derived(lists(picture))
  const H = $derived(many || mini ? 18 : 34)
  const where = (event: PointerEvent) => {
    const box = (event.currentTarget as Element).closest('.scale')!.getBoundingClientRect()
    return (event.clientX - box.left) / box.width
  }
  const gaps = $derived(
    picture.readings.reduce((most, reading) => Math.max(most, widthOf(reading.gap_shown, 13)), 0),
  )
  const zero = $derived(picture.axis?.zero ?? 0)
</script>

{#snippet scale(reading: Reading, i: number)}
  <svg class="scale" height={H + 6} width="100%" role="presentation">
    {#if reading.partial && reading.value !== null}
      <Hatch id="{uid}-{i}" fill={paint(reading)} ground={tint(reading.state)} />
    {/if}
    {#each reading.bands as band (band.start)}
      <rect
        x="{band.start * 100}%"
        width="{(band.end - band.start) * 100}%"
        height={H}
        fill={tint(band.state)}
        stroke="var(--sheet)"
      />
    {:else}
      <rect width="100%" height={H} fill="var(--nothing-tint)" />
    {/each}
    {#if reading.value !== null}
      {@const start = Math.min(zero, reading.fraction)}
      <rect
        class="value"
        x="{start * 100}%"
        y={H * 0.32}
        width="{Math.abs(reading.fraction - zero) * 100}%"
        height={H * 0.36}
        fill={reading.partial ? `url(#${uid}-${i})` : paint(reading)}
        stroke={reading.partial ? paint(reading) : 'none'}
      />
      <Overrun past={reading.past} at={H / 2} size={H * 0.3} />
      {#if picture.axis?.broken && !mini}
        <path d="M5 {H * 0.2}L2 {H * 0.8}M9 {H * 0.2}L6 {H * 0.8}" stroke="var(--sheet)" stroke-width="2">
          <title>The axis does not start at zero</title>
        </path>
      {/if}
    {/if}
    <Heading going={reading.going} at={H / 2} size={Math.min(5, H * 0.24)} />
    {#each reading.marks as mark (mark.name)}<Mark {mark} top={0} bottom={H} />{/each}
    {#each grab && !many ? reading.cuts : [] as cut, i (i)}
      {#if !cut.past}
        <rect
          class="hold"
          role="slider"
          tabindex="0"
          aria-label="Cut {i + 1} on the bullet"
          aria-valuenow={cut.value}
          aria-valuetext={cut.shown}
          x="{cut.fraction * 100}%"
          width="9"
          height={H}
          use:grabbing={{
            where,
            now: cut.fraction,
            move: (fraction, done, fine) => grab?.cut(i, fraction, done, fine),
          }}><title>Cut at {cut.shown}. Drag it, or use the arrow keys</title></rect
        >
      {/if}
    {/each}
    {#each grab?.mark && !many ? reading.marks : [] as mark (mark.name)}
      {#if !mark.past}
        <rect
          class="hold mark-hold"
          role="slider"
          tabindex="0"
          aria-label="{mark.name} on the bullet"
          aria-valuenow={mark.value}
          aria-valuetext={mark.shown}
          x="{mark.fraction * 100}%"
          y={H - 4}
          width="12"
          height="11"
          use:grabbing={{
            where,
            now: mark.fraction,
            move: (fraction, done, fine) => grab?.mark?.(mark.name, fraction, done, fine),
          }}><title>{mark.name} {mark.shown}. Drag it, or use the arrow keys</title></rect
        >
      {/if}
    {/each}
  </svg>
{/snippet}

{#if look.bullet.standing && !mini}
  <Standing {picture} {open} />
{:else if mini}
  {#each picture.readings.slice(0, 2) as reading, i (i)}{@render scale(reading, i)}{/each}
{:else}
  <Rows {picture} {open} tailed={many ? 34 + gaps : 24}>
    {#snippet drawn(reading, i)}{@render scale(reading, i)}{/snippet}
    {#snippet tail(reading)}
      {#if many}<span class="off">{reading.gap_shown}</span><Sign state={reading.state} of={reading} />{/if}
    {/snippet}
  </Rows>
{/if}

<style>
  .scale {
    display: block;
    overflow: visible;
  }
  .hold {
    translate: -4.5px 0;
    fill: color-mix(in srgb, var(--accent) 26%, transparent);
    cursor: ew-resize;
    touch-action: none;
    outline: none;
  }
  .mark-hold {
    translate: -6px 0;
    fill: transparent;
  }
  .hold:hover,
  .hold:focus-visible {
    fill: color-mix(in srgb, var(--accent) 60%, transparent);
  }
  .value {
    transition:
      width 0.35s ease-out,
      x 0.35s ease-out;
  }
  @container (max-width: 300px) {
    .off {
      display: none;
    }
  }
  .off {
    color: var(--soft);
    min-width: 4.2ch;
    text-align: right;
  }
</style>
