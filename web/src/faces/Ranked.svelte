<script lang="ts">
  /** Bars from zero, one a reading, coloured by state or ramp; one line for a mark all share, else one for each. */
  import type { Reading } from '../api/client'
  import { tint } from '../api/states.svelte'
  import Hatch from './Hatch.svelte'
  import Mark from './Mark.svelte'
  import Overrun from './Overrun.svelte'
  import Rows from './Rows.svelte'
  import { widthOf } from './labels'
  import { measured } from './names.svelte'
  import { paint, type FaceProps } from './looks'

  let { picture, mini = false, open }: FaceProps = $props()
  const uid = $props.id()
  const H = $derived(mini ? 9 : 17)
  const gaps = $derived(
    measured(picture).reduce((most, reading) => Math.max(most, widthOf(reading.gap_shown, 13)), 18),
  )
  const zero = $derived(picture.axis?.zero ?? 0)
</script>

{#snippet bar(reading: Reading, i: number)}
  <svg class="bar" height={H + 5} width="100%" role="presentation">
    {#if reading.partial && reading.value !== null}
      <Hatch id="{uid}-{i}" fill={paint(reading)} ground={tint(reading.state)} />
    {/if}
    <line x1="{zero * 100}%" x2="{zero * 100}%" y1="-6" y2={H + 8} stroke="var(--soft)" stroke-width="0.8" />
    {#if reading.value !== null}
      <rect
        class="value"
        x="{Math.min(zero, reading.fraction) * 100}%"
        width="{Math.abs(reading.fraction - zero) * 100}%"
        height={H}
        fill={reading.partial ? `url(#${uid}-${i})` : paint(reading)}
      />
      <Overrun past={reading.past} at={H / 2} size={H * 0.3} />
    {:else}
      <rect width="100%" height={H} fill="none" stroke="var(--nothing)" stroke-dasharray="3 3" />
    {/if}
    {#each mini ? [] : reading.marks as mark (mark.name)}<Mark {mark} top={-3} bottom={H + 1} />{/each}
  </svg>
{/snippet}

{#if mini}
  {#each picture.readings.slice(0, 3) as reading, i (i)}{@render bar(reading, i)}{/each}
{:else}
  <Rows {picture} {open} tailed={gaps + 6}>
    {#snippet drawn(reading, i)}{@render bar(reading, i)}{/snippet}
    {#snippet tail(reading)}<span class="off">{reading.gap_shown}</span>{/snippet}
  </Rows>
{/if}

<style>
  .bar {
    display: block;
    overflow: visible;
  }
  .off {
    color: var(--soft);
    min-width: 4.2ch;
    text-align: right;
  }
  .value {
    transition:
      width 0.35s ease-out,
      x 0.35s ease-out;
  }
</style>
