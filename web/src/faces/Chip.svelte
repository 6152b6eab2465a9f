<script lang="ts">
  /** A state as sign and word: one reading's in large, or one a member. */
  import MemberName from './MemberName.svelte'
  import { colour, on, stateOf } from '../api/states.svelte'
  import Sign from '../parts/Sign.svelte'
  import StateChip from '../parts/StateChip.svelte'
  import { whole } from './whole'
  import { told, type FaceProps } from './looks'
  import { lists } from './names.svelte'
  import Press from './Press.svelte'
  import { getContext } from 'svelte'

  let { picture, mini = false, open }: FaceProps = $props()
  /** What is drawn says nothing by itself where a sentence says it; on paper it is what there is. */
  const unsaid = getContext('paper') ? undefined : 'true'
  const many = $derived(lists(picture))
  let more = $state(0)
</script>

{#if mini || !many}
  {@const reading = picture.readings[0]}
  {#if reading}
    <div class="middle">
      <span
        class="large"
        class:mini
        class:none={!reading.state}
        class:partial={reading.partial}
        style:background-color={reading.state ? colour(reading.state) : 'transparent'}
        style:color={reading.state ? on(reading.state) : 'var(--soft)'}
      >
        <Sign
          state={reading.state}
          of={reading}
          size={mini ? 14 : 22}
          fill={reading.state ? on(reading.state) : 'var(--soft)'}
        />
        {#if !mini}{stateOf(reading.state)?.name ??
            (reading.value === null ? 'no reading' : 'not graded')}{/if}
      </span>
    </div>
  {/if}
{:else}
  <div class="listing">
    <div class="members" use:whole={{ count: picture.readings.length, more: (count) => (more = count) }}>
      {#each picture.readings as reading (reading.key)}
        <div class="item" data-line>
          <div class="pressed">
            {#if unsaid}<Press {reading} {open} tip={told(reading)} />{/if}
            <span class="seen" aria-hidden={unsaid}><StateChip {reading} whole /></span>
          </div>
          <span class="name"><MemberName {picture} {reading} /></span>
        </div>
      {/each}
    </div>
    {#if more}<p class="more-rows">{more} more</p>{/if}
  </div>
{/if}

<style>
  .middle {
    display: grid;
    place-items: center;
    height: 100%;
  }
  .large {
    display: inline-flex;
    align-items: center;
    gap: 9px;
    padding: 8px 18px 8px 14px;
    border-radius: 4px;
    font-size: 19px;
    font-weight: 650;
  }
  .large.mini {
    padding: 6px 14px;
  }
  .none {
    outline: 1.5px dashed var(--nothing);
    outline-offset: -2px;
  }
  .partial {
    background-image: repeating-linear-gradient(45deg, transparent 0 6px, rgb(255 255 255 / 0.22) 6px 10px);
  }
  .members {
    display: flex;
    flex-direction: column;
    flex: 1 1 auto;
    min-height: 0;
    overflow: hidden auto;
    position: relative;
  }
  .item {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto;
    flex: 1 0 25px;
    max-height: 36px;
    font-size: 13px;
    border-bottom: 1px solid var(--rule);
  }
  .pressed {
    position: relative;
    grid-row: 1;
    grid-column: 1 / -1;
    display: grid;
    grid-template-columns: subgrid;
    align-items: center;
    padding: 0 4px;
  }
  .seen {
    display: grid;
    grid-column: 2;
  }
  .name {
    grid-area: 1 / 1;
    align-self: center;
    padding: 0 10px 0 4px;
    pointer-events: none;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
</style>
