<script lang="ts">
  /** Progress on its track towards a mark, or a dot on it; hatched while partial, with an overrun sign past its end. */
  import type { Reading } from '../api/client'
  import { tint } from '../api/states.svelte'
  import Sign from '../parts/Sign.svelte'
  import Heading from './Heading.svelte'
  import Hatch from './Hatch.svelte'
  import Mark from './Mark.svelte'
  import Overrun from './Overrun.svelte'
  import Rows from './Rows.svelte'
  import { paint, type FaceProps } from './looks'
  import { lists } from './names.svelte'

  let { picture, look, mini = false, open }: FaceProps = $props()
  const uid = $props.id()
  const many = $derived(lists(picture))
  const H = $derived(mini ? 14 : many ? 12 : 16)
  const zero = $derived(picture.axis?.zero ?? 0)
  const dot = $derived(look.bar.ends === 'dot')
  /** Where a full track ends: before the end of the axis where what is past a mark is drawn beyond it. */
  const end = $derived(picture.axis?.full ?? 1)
  const round = $derived(look.bar.ends === 'square' ? 1.5 : H / 2)
</script>

{#snippet track(reading: Reading, i: number)}
  <svg class="track" height={H + 6} width="100%" role="presentation">
    {#if reading.partial && reading.value !== null}
      <Hatch id="{uid}-{i}" fill={paint(reading)} ground={tint(reading.state)} />
    {/if}
    <rect
      width="{end * 100}%"
      y={dot ? H * 0.34 : 0}
      height={dot ? H * 0.32 : H}
      rx={dot ? 2 : round}
      fill={reading.value === null ? 'none' : 'var(--track)'}
      stroke={reading.value === null ? 'var(--nothing)' : 'none'}
      stroke-dasharray="3 3"
    />
    {#if reading.value !== null && dot}
      <circle
        class="dot"
        cx="{reading.fraction * 100}%"
        cy={H / 2}
        r={H / 2}
        fill={reading.partial ? `url(#${uid}-${i})` : paint(reading)}
        stroke="var(--sheet)"
        stroke-width="1.5"
      />
      <Overrun past={reading.past} at={H / 2} size={H * 0.36} />
    {:else if reading.value !== null}
      <rect
        class="fill"
        x="{Math.min(zero, reading.fraction) * 100}%"
        width="{Math.abs(reading.fraction - zero) * 100}%"
        height={H}
        rx={round}
        fill={reading.partial ? `url(#${uid}-${i})` : paint(reading)}
      />
      <Overrun past={reading.past} at={H / 2} size={H * 0.36} />
    {/if}
    <Heading going={reading.going} at={H / 2} size={Math.min(5, H * 0.34)} />
    {#each reading.marks as mark (mark.name)}<Mark {mark} top={-2} bottom={H + 1} />{/each}
  </svg>
{/snippet}

{#if mini}
  {#each picture.readings.slice(0, 2) as reading, i (i)}{@render track(reading, i)}{/each}
{:else}
  <Rows {picture} {open}>
    {#snippet drawn(reading, i)}{@render track(reading, i)}{/snippet}
    {#snippet tail(reading)}{#if many}<Sign state={reading.state} of={reading} />{/if}{/snippet}
  </Rows>
{/if}

<style>
  .track {
    display: block;
    overflow: visible;
  }
  .fill {
    transition: width 0.35s ease-out;
  }
  .dot {
    transition: cx 0.35s ease-out;
  }
</style>
