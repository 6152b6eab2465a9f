<script lang="ts">
  /** States without figures: one reading as a row of lights with its own lit, or one light a reading. */
  import { whole } from './whole'
  import type { Reading } from '../api/client'
  import { colour, on, stateOf, statesBeside, tint } from '../api/states.svelte'
  import Sign from '../parts/Sign.svelte'
  import { told as inFull, type FaceProps } from './looks'
  import { lists } from './names.svelte'
  import Press from './Press.svelte'
  import { getContext } from 'svelte'

  let { picture, look, mini = false, open }: FaceProps = $props()
  /** What is drawn says nothing by itself where a sentence says it; on paper it is what there is. */
  const unsaid = getContext('paper') ? undefined : 'true'
  const many = $derived(lists(picture))
  /** The lights of the palette that the reading, or the band it could be in, has its states from. */
  const lights = $derived(statesBeside(picture.readings[0]?.state ?? picture.readings[0]?.bands[0]?.state))
  const told = (reading: Reading) =>
    stateOf(reading.state)?.name ?? (reading.status === 'no_reading' ? 'no reading' : 'not graded')
  let more = $state(0)
</script>

{#snippet light(reading: Reading, size: number)}
  <span
    class="light"
    class:out={!reading.state}
    class:partial={reading.partial}
    style:width="min({size}px, {size * 0.62}cqi)"
    style:height="min({size}px, {size * 0.62}cqi)"
    style:background-color={reading.state ? colour(reading.state) : 'transparent'}
  >
    <Sign
      state={reading.state}
      of={reading}
      size={size * 0.56}
      fill={reading.state ? on(reading.state) : 'var(--soft)'}
    />
  </span>
{/snippet}

{#if mini}
  <span class="minis"
    >{#each picture.readings.slice(0, 3) as reading, i (i)}{@render light(
        reading,
        many ? 17 : 34,
      )}{/each}</span
  >
{:else if many}
  <div class="listing">
    <div class="members" use:whole={{ count: picture.readings.length, more: (count) => (more = count) }}>
      {#each picture.readings as reading (reading.key)}
        <div class="pressed" data-line>
          {#if unsaid}<Press {reading} {open} tip={inFull(reading)} />{/if}
          {@render light(reading, 26)}
          <span class="name" aria-hidden={unsaid}
            >{reading.label}<span class="told">{told(reading)}</span></span
          >
        </div>
      {/each}
    </div>
    {#if more}<p class="more-rows">{more} more</p>{/if}
  </div>
{:else if picture.readings[0]}
  {@const reading = picture.readings[0]}
  <div class="lights">
    {#if look.lamp.lights === 'one'}{@render light(reading, 52)}<b class="only">{told(reading)}</b>{/if}
    {#each look.lamp.lights === 'all' ? lights : [] as state (state.key)}
      {#if state.key === reading.state}
        {@render light(reading, 40)}
      {:else}
        <span class="light off" style:background-color={tint(state.key)}
          ><Sign state={state.key} size={14} /></span
        >
      {/if}
    {/each}
  </div>
{/if}

<style>
  .light {
    flex: none;
    display: inline-grid;
    place-items: center;
    border-radius: 50%;
  }
  .light.out {
    outline: 1.5px dashed var(--nothing);
    outline-offset: -2px;
  }
  .light.partial {
    background-image: repeating-linear-gradient(45deg, transparent 0 4px, rgb(255 255 255 / 0.3) 4px 7px);
  }
  .light.off {
    width: 26px;
    height: 26px;
  }
  .lights {
    display: flex;
    align-items: center;
    justify-content: center;
    gap: min(12px, 4cqi);
    height: 100%;
  }
  .only {
    font-size: 16px;
  }
  .minis {
    display: flex;
    gap: 3px;
    justify-content: center;
  }
  .members {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(112px, 1fr));
    gap: 2px 8px;
    align-content: start;
    flex: 1 1 auto;
    min-height: 0;
    overflow: hidden auto;
    position: relative;
  }
  .pressed {
    position: relative;
    display: flex;
    align-items: center;
    gap: 9px;
    padding: 4px;
    text-align: left;
    min-width: 0;
  }
  .name {
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    font-size: 13px;
    line-height: 1.25;
  }
  .told {
    display: block;
    color: var(--soft);
    font-size: 12px;
  }
</style>
