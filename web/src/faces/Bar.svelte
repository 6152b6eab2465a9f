<script lang="ts">
  /** Progress on its track towards a mark; hatched while partial, with an overrun sign past its end. */
  import type { Picture, Reading } from '../api/client'
  import { colour, tint } from '../api/states'
  import Sign from '../parts/Sign.svelte'
  import Hatch from './Hatch.svelte'
  import Mark from './Mark.svelte'
  import Overrun from './Overrun.svelte'
  import Rows from './Rows.svelte'
  import { lists } from './names'

  let {
    picture,
    mini = false,
    open,
  }: { picture: Picture; mini?: boolean; open?: (r: Reading) => void } = $props()
  const uid = $props.id()
  const many = $derived(lists(picture))
  const H = $derived(mini ? 14 : many ? 12 : 16)
  const zero = $derived(picture.axis?.zero ?? 0)
</script>

{#snippet track(reading: Reading, i: number)}
  <svg class="track" height={H + 6} width="100%" role="presentation">
    {#if reading.partial && reading.value !== null}
      <Hatch id="{uid}-{i}" fill={colour(reading.state)} ground={tint(reading.state)} />
    {/if}
    <rect
      width="100%"
      height={H}
      rx={H / 2}
      fill={reading.value === null ? 'none' : 'var(--track)'}
      stroke={reading.value === null ? 'var(--nothing)' : 'none'}
      stroke-dasharray="3 3"
    />
    {#if reading.value !== null}
      <rect
        class="fill"
        x="{Math.min(zero, reading.fraction) * 100}%"
        width="{Math.abs(reading.fraction - zero) * 100}%"
        height={H}
        rx={H / 2}
        fill={reading.partial ? `url(#${uid}-${i})` : reading.state ? colour(reading.state) : 'var(--soft)'}
      />
      <Overrun past={reading.past} at={H / 2} size={H * 0.36} />
    {/if}
    {#each reading.marks as mark (mark.name)}<Mark {mark} top={-2} bottom={H + 1} />{/each}
  </svg>
{/snippet}

{#if mini}
  {#each picture.readings.slice(0, 2) as reading, i (i)}{@render track(reading, i)}{/each}
{:else}
  <Rows {picture} {open}>
    {#snippet row(reading, i)}{@render track(reading, i)}{/snippet}
    {#snippet tail(reading)}{#if many}<Sign state={reading.state} />{/if}{/snippet}
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
</style>
