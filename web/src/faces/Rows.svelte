<script lang="ts">
  /** What bullet and bar share: one reading in large, or members one under the other on one axis. */
  import { getContext, type Snippet } from 'svelte'
  import type { Picture, Reading } from '../api/client'
  import NoteSign from '../parts/NoteSign.svelte'
  import MemberName from './MemberName.svelte'
  import Windowed from './Windowed.svelte'
  import { widthOf } from './labels'
  import { dimmer } from './lit'
  import { told } from './looks'
  import { lists, measured } from './names.svelte'
  import { FINGER, SHOWN, touch } from '../parts/touch.svelte'
  import { sized } from '../parts/sized'
  import Press from './Press.svelte'

  interface Props {
    picture: Picture
    open?: (reading: Reading) => void
    drawn: Snippet<[Reading, number]>
    tail: Snippet<[Reading]>
    /** How wide the tail is, so that all rows share one axis. */
    tailed?: number
  }
  let { picture, open, drawn, tail, tailed = 24 }: Props = $props()
  /** What is drawn says nothing by itself where a sentence says it; on paper it is what there is. */
  const unsaid = getContext('paper') ? undefined : 'true'
  const dim = dimmer()
  const many = $derived(lists(picture))
  /** The widest figure gives its column the width, so that all rows share one axis. */
  const figures = $derived(
    measured(picture).reduce(
      (most, reading) => Math.max(most, widthOf(reading.shown, 13.6) + (reading.word ? 17 : 0)),
      20,
    ),
  )
  /** Names have room first: as much as the longest needs, within reason. */
  const named = $derived(
    Math.ceil(measured(picture).reduce((most, reading) => Math.max(most, widthOf(reading.label, 13)), 0)) + 4,
  )
  let bed = $state<HTMLElement | null>(null)
  let inner = $state(0)
  const paper = getContext('paper')
  const narrow = $derived(touch.current && !paper)
  const AXIS = 17
  let tall = $state(0)
  /** On paper rows take the height there is, within reason. */
  const ROW = $derived(
    narrow
      ? FINGER
      : paper
        ? Math.min(44, Math.max(26, Math.floor((tall - AXIS) / Math.max(1, picture.readings.length))))
        : 26,
  )
  const ticks = $derived(picture.axis?.ticks ?? [])
  const room = $derived(
    narrow ? Math.min(picture.readings.length, SHOWN) : Math.max(1, Math.floor((tall - AXIS) / ROW)),
  )
  /** Rows that do not fit are scrolled to, and none is cut through: the bed is as high as whole ones. */
  const more = $derived(tall && !paper ? Math.max(0, picture.readings.length - room) : 0)
  /** The axis keeps clear of the scroll bar, so that it stays above its rows. */
  const bar = $derived(more && bed && inner ? bed.offsetWidth - inner : 0)
  let width = $state(0)
  /** Labels that do not touch: every second, third … tick where there is no room for all. */
  const clear = $derived.by(() => {
    // The outer ones stand wholly within the axis, so that they come half a label nearer to their neighbours.
    const needed = Math.max(0, ...ticks.map((tick) => tick.label.length)) * 6.4 * 1.5 + 8
    const between = ticks.length > 1 ? (ticks[1]!.fraction - ticks[0]!.fraction) * width : width
    const every = between > 0 ? Math.ceil(needed / between) : 1
    return ticks.filter((_, i) => i % every === 0)
  })
</script>

{#snippet axis()}
  {#if ticks.length}
    <div class="ticks" aria-hidden="true" {@attach sized((w) => (width = w))}>
      {#each clear as tick (tick.fraction)}
        <span
          class:first={tick.fraction < 0.04}
          class:last={tick.fraction > 0.96}
          style:left="{tick.fraction * 100}%">{tick.label}</span
        >
      {/each}
    </div>
  {/if}
{/snippet}

{#if many}
  <div
    class="rows"
    class:paper
    style:--figures="{figures}px"
    style:--named="{named}px"
    style:--tail="{tailed}px"
    {@attach sized((_, h) => (tall = h))}
  >
    <div
      class="bed"
      role="list"
      class:scrolled={more > 0}
      style:height={more || narrow ? `${room * ROW}px` : undefined}
      style:--row="{ROW}px"
      bind:this={bed}
      {@attach sized((w) => (inner = w))}
    >
      <Windowed items={picture.readings} height={ROW} key={(reading) => reading.key} {bed}>
        {#snippet row(reading, i)}
          <div
            role="listitem"
            data-line
            class="item"
            class:rest={reading.role === 'rest'}
            class:dim={dim(reading)}
          >
            <div class="row">
              {#if unsaid}<Press {reading} {open} tip={told(reading)} />{/if}
              <span class="scale" aria-hidden={unsaid}>{@render drawn(reading, i)}</span>
              <span class="shown" aria-hidden={unsaid} class:none={reading.value === null}
                >{#if reading.word}<NoteSign
                    wanted={reading.word === 'wanted'}
                    size={12}
                  />&nbsp;{/if}{reading.shown}</span
              >
              <span class="tail" aria-hidden={unsaid}>{@render tail(reading)}</span>
            </div>
            <span class="name"><MemberName {picture} {reading} /></span>
          </div>
        {/snippet}
      </Windowed>
    </div>
    <div class="axis-row" style:--bar="{bar}px">
      <span class="more"
        >{#if more}<span class="plus">+</span>{more}<span class="word">&nbsp;more</span>{/if}</span
      ><span class="scale">{@render axis()}</span><span></span><span></span>
    </div>
  </div>
{:else if picture.readings[0]}
  <div class="single">
    {@render drawn(picture.readings[0], 0)}
    {@render axis()}
  </div>
{/if}

<style>
  .rows {
    display: flex;
    flex-direction: column;
    height: 100%;
    min-height: 0;
    container-type: inline-size;
  }
  .bed {
    display: flex;
    flex-direction: column;
    flex: 1 1 auto;
    min-height: 0;
    overflow: hidden auto;
    scroll-snap-type: y proximity;
  }
  .bed.scrolled {
    flex: none;
  }
  .more {
    font-size: 11.5px;
    color: var(--soft);
    white-space: nowrap;
  }
  .item,
  .axis-row {
    display: grid;
    width: 100%;
    grid-template-columns:
      minmax(60px, clamp(26%, var(--named, 0px), 42%)) minmax(50px, 1fr) minmax(52px, var(--figures))
      var(--tail);
    gap: 10px;
    align-items: center;
    padding: 0 4px;
    font-size: 13px;
  }
  .item {
    position: relative;
    flex: 1 0 calc(var(--row) - 1px);
    max-height: var(--tallest, max(36px, var(--row)));
    border-bottom: 1px solid var(--rule);
  }
  /* The whole row is pressed for the workings; the name lies above it. */
  .row {
    display: grid;
    grid-column: 1 / -1;
    grid-row: 1;
    grid-template-columns: subgrid;
    align-items: center;
    align-self: stretch;
    margin: 0 -4px;
    padding: 1px 4px 0;
    text-align: left;
    position: relative;
  }
  .row .scale {
    grid-column: 2;
  }
  .axis-row {
    overflow: hidden;
    flex: none;
    cursor: default;
    padding-right: calc(4px + var(--bar));
  }
  .scrolled .item {
    flex: 0 0 var(--row);
    scroll-snap-align: start;
  }
  .paper .item {
    flex: 0 0 auto;
    min-height: calc(var(--row) - 1px);
    max-height: none;
  }
  .rest {
    font-style: italic;
  }
  .name {
    grid-column: 1;
    grid-row: 1;
    pointer-events: none;
    overflow: hidden;
    text-overflow: ellipsis;
    line-height: 1.15;
    white-space: var(--names, nowrap);
  }
  .shown {
    white-space: nowrap;
    text-align: right;
    font-weight: 650;
  }
  .none {
    font-weight: 400;
    color: var(--soft);
  }
  .tail {
    display: inline-flex;
    align-items: center;
    gap: 8px;
    justify-content: flex-end;
    min-width: 24px;
  }
  .ticks {
    position: relative;
    height: 15px;
    font-size: 11px;
    color: var(--soft);
  }
  .ticks span {
    position: absolute;
    transform: translateX(-50%);
  }
  .ticks .first {
    transform: none;
  }
  .ticks .last {
    transform: translateX(-100%);
  }
  .plus {
    display: none;
  }
  @container (max-width: 360px) {
    .item,
    .axis-row {
      grid-template-columns:
        minmax(80px, clamp(34%, var(--named, 0px), 46%)) minmax(40px, 1fr) minmax(40px, var(--figures))
        var(--tail);
      gap: 6px;
    }
  }
  @container (max-width: 300px) {
    .word {
      display: none;
    }
    .plus {
      display: inline;
    }
    .item,
    .axis-row {
      grid-template-columns:
        minmax(80px, clamp(36%, var(--named, 0px), 46%)) minmax(40px, 1fr) var(--figures)
        24px;
      gap: 6px;
    }
  }
  @container (max-width: 190px) {
    .item,
    .axis-row {
      grid-template-columns: minmax(34px, 34%) minmax(24px, 1fr) var(--figures);
      gap: 5px;
    }
    .tail {
      display: none;
    }
  }
</style>
