<script lang="ts">
  /** Small multiples: one drawing for each reading, all on one axis, each with its own mark. */
  import { dimmer } from './lit'
  import MemberName from './MemberName.svelte'
  import NoteSign from '../parts/NoteSign.svelte'
  import type { Component } from 'svelte'
  import type { Reading } from '../api/client'
  import Sign from '../parts/Sign.svelte'
  import { told, type FaceProps } from './looks'
  import { measured } from './names.svelte'
  import { sized } from '../parts/sized'
  import Press from './Press.svelte'
  import { getContext } from 'svelte'

  interface Props extends FaceProps {
    One: Component<FaceProps>
    /** The drawing needs no figure beside it. */
    figured: boolean
    /** The drawing leaves out its labels where it is small. */
    shrinks: boolean
  }
  let { picture, look, open, One, figured, shrinks }: Props = $props()
  /** What is drawn says nothing by itself where a sentence says it; on paper it is what there is. */
  const paper = getContext('paper')
  const unsaid = paper ? undefined : 'true'
  const dim = dimmer()
  let width = $state(400)
  let height = $state(300)
  const GAP = 8
  /** As many columns as leave each drawing the largest. */
  const LEAST = 88
  const FOOT = 17
  const columns = $derived.by(() => {
    const crowded = Math.max(1, Math.floor((width + GAP) / (92 + GAP)))
    if (measured(picture) !== picture.readings) return crowded
    const count = picture.readings.length
    let best = 1
    let most = 0
    for (let n = 1; n <= count; n++) {
      const w = (width - GAP * (n - 1)) / n
      if (w < 84 && n > 1) break
      const h = height / Math.ceil(count / n) - 44
      const size = Math.min(w, h * 1.35)
      if (size > most) [best, most] = [n, size]
    }
    return most < 60 ? crowded : best
  })
  const one = (reading: Reading) => ({ ...picture, readings: [reading], axis: reading.axis ?? picture.axis })
  /** Where not all rows fit, those that do share the room, and the rest is told. */
  const rows = $derived(Math.ceil(picture.readings.length / columns))
  const fit = $derived.by(() => {
    const all = Math.floor((height + GAP) / (LEAST + GAP))
    return rows <= all ? rows : Math.max(1, Math.floor((height - FOOT + GAP) / (LEAST + GAP)))
  })
  const more = $derived(height && fit < rows && !paper ? picture.readings.length - fit * columns : 0)
  const tall = $derived(Math.max(LEAST, (height - FOOT - GAP * (fit - 1)) / fit))
</script>

<div class="listing" {@attach sized((w, h) => ((width = w), (height = h)))}>
  <div
    class="each"
    class:crowd={picture.readings.length > 60 && !paper}
    class:paper
    style:grid-template-columns="repeat({columns}, minmax(0, 1fr))"
    style:grid-auto-rows={more ? `${tall}px` : undefined}
    data-needs={rows * (LEAST + GAP)}
  >
    {#each picture.readings as reading (reading.key)}
      <div class="item" data-line class:dim={dim(reading)}>
        <div class="one">
          {#if unsaid}<Press {reading} {open} tip={told(reading)} />{/if}
          <span class="drawing" aria-hidden={unsaid}
            ><One picture={one(reading)} {look} mini={shrinks && width / columns < 210} /></span
          >
          <span class="foot" aria-hidden={unsaid}>
            {#if figured}<b class:none={reading.value === null}>{reading.shown}</b>{/if}
            <Sign state={reading.state} of={reading} />
          </span>
        </div>
        <span class="name" class:rest={reading.role === 'rest'}
          ><MemberName {picture} {reading} />{#if reading.word}&nbsp;<NoteSign
              wanted={reading.word === 'wanted'}
              size={12}
            />{/if}</span
        >
      </div>
    {/each}
  </div>
  {#if more}<p class="more-rows">{more} more</p>{/if}
</div>

<style>
  .each {
    display: grid;
    grid-auto-rows: minmax(88px, 1fr);
    gap: 8px;
    flex: 1 1 auto;
    min-height: 0;
    overflow: hidden auto;
    position: relative;
  }
  .item {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: minmax(0, 1fr);
    min-width: 0;
    min-height: 0;
  }
  .one {
    grid-area: 1 / 1;
    display: flex;
    flex-direction: column;
    min-width: 0;
    min-height: 0;
    padding: 21px 3px 2px;
    position: relative;
  }
  /* Of a crowd only what is in sight is laid out. */
  .crowd .item {
    content-visibility: auto;
    contain-intrinsic-size: auto 110px;
  }
  .name {
    grid-area: 1 / 1;
    place-self: start center;
    max-width: 100%;
    padding: 2px 3px 0;
    pointer-events: none;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    font-size: 12.5px;
  }
  .paper .item {
    grid-template-rows: auto minmax(0, 1fr);
  }
  .paper .name {
    text-align: center;
    line-height: 1.15;
  }
  .paper .one {
    grid-area: 2 / 1;
    padding-top: 2px;
  }
  .rest {
    font-style: italic;
  }
  .drawing {
    width: 100%;
    min-width: 0;
    display: flex;
    flex-direction: column;
    flex: 1;
    min-height: 0;
    overflow: hidden;
  }
  .foot {
    display: flex;
    gap: 7px;
    justify-content: center;
    align-items: center;
  }
  .none {
    font-weight: 400;
    color: var(--soft);
  }
</style>
