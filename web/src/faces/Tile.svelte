<script lang="ts">
  /** Plates in the colour of their state, with its sign and name. */
  import { whole } from './whole'
  import type { Reading } from '../api/client'
  import { colour, on, stateOf } from '../api/states.svelte'
  import Sign from '../parts/Sign.svelte'
  import { told as inFull, type FaceProps } from './looks'
  import { lists } from './names.svelte'
  import Press from './Press.svelte'
  import { getContext } from 'svelte'

  let { picture, mini = false, open }: FaceProps = $props()
  /** What is drawn says nothing by itself where a sentence says it; on paper it is what there is. */
  const unsaid = getContext('paper') ? undefined : 'true'
  const many = $derived(lists(picture))
  const told = (reading: Reading) =>
    stateOf(reading.state)?.name ?? (reading.status === 'no_reading' ? 'no reading' : 'not graded')
  let more = $state(0)
</script>

{#snippet plate(reading: Reading)}
  <span
    class="plate"
    class:none={!reading.state}
    class:partial={reading.partial}
    style:background-color={reading.state ? colour(reading.state) : 'transparent'}
    style:color={reading.state ? on(reading.state) : 'var(--soft)'}
  >
    <Sign
      state={reading.state}
      of={reading}
      size={mini ? 14 : many ? 18 : 30}
      fill={reading.state ? on(reading.state) : 'var(--soft)'}
    />
    {#if !mini}
      <span class="words">
        {#if many}<span class="name">{reading.label}</span>{/if}
        <span class="told" class:large={!many}>{told(reading)}</span>
      </span>
    {/if}
  </span>
{/snippet}

{#if mini}
  {#if picture.readings[0]}{@render plate(picture.readings[0])}{/if}
{:else if many}
  <div class="listing">
    <div class="plates" use:whole={{ count: picture.readings.length, more: (count) => (more = count) }}>
      {#each picture.readings as reading (reading.key)}
        <div class="pressed">
          {#if unsaid}<Press {reading} {open} tip={inFull(reading)} />{/if}
          <span class="seen" aria-hidden={unsaid}>{@render plate(reading)}</span>
        </div>
      {/each}
    </div>
    {#if more}<p class="more-rows">{more} more</p>{/if}
  </div>
{:else if picture.readings[0]}
  <div class="one">{@render plate(picture.readings[0])}</div>
{/if}

<style>
  .seen {
    display: block;
    height: 100%;
  }
  .plate {
    display: flex;
    align-items: center;
    justify-content: center;
    gap: 10px;
    width: 100%;
    height: 100%;
    min-height: 30px;
    padding: 5px 10px;
    border-radius: 4px;
    overflow: hidden;
  }
  .none {
    outline: 1.5px dashed var(--nothing);
    outline-offset: -2px;
  }
  .partial {
    background-image: repeating-linear-gradient(45deg, transparent 0 6px, rgb(255 255 255 / 0.22) 6px 10px);
  }
  .one {
    height: 100%;
  }
  .plates {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(118px, 1fr));
    grid-auto-rows: minmax(56px, 1fr);
    gap: 5px;
    flex: 1 1 auto;
    min-height: 0;
    overflow: hidden auto;
    position: relative;
  }
  .pressed {
    position: relative;
    min-width: 0;
  }
  .pressed:hover {
    outline: 2px solid var(--accent);
    outline-offset: 1px;
  }
  .plates .plate {
    justify-content: flex-start;
  }
  .words {
    display: block;
    min-width: 0;
    text-align: left;
    line-height: 1.2;
  }
  .name {
    display: -webkit-box;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 2;
    line-clamp: 2;
    overflow: hidden;
    overflow-wrap: anywhere;
    font-size: 12px;
  }
  .told {
    font-weight: 650;
    font-size: 13px;
  }
  .large {
    font-size: 20px;
  }
</style>
