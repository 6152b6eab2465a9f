<script lang="ts">
  /** What the colours say: states in rank order, kinds in their kept order, or a ramp between its anchors. */
  import type { Picture } from '../api/client'
  import { colour, stateOf, statesBeside } from '../api/states.svelte'
  import Sign from '../parts/Sign.svelte'

  /** ``asked``: shown however small the sheet is. */
  let { picture, asked = false }: { picture: Picture; asked?: boolean } = $props()
  const some = $derived(
    picture.readings.find((reading) => reading.state)?.state ?? picture.readings[0]?.bands[0]?.state,
  )
  const used = $derived(
    new Set(
      picture.readings.flatMap((reading) => [reading.state, ...reading.bands.map((band) => band.state)]),
    ),
  )
  const states = $derived(some ? statesBeside(some).filter((state) => used.has(state.key)) : [])
</script>

{#if picture.ramp}
  <div class="ramp small soft" class:asked>
    <span class="of">{picture.ramp.name}</span>
    <span class="scale">
      <span class="colours" style:background="linear-gradient(90deg, {picture.ramp.colours.join(', ')})"
      ></span>
      {#each picture.ramp.anchors as anchor, i (i)}
        <span
          class="end"
          class:first={i === 0}
          class:last={i === picture.ramp.anchors.length - 1}
          style:left="{anchor.fraction * 100}%">{anchor.label}</span
        >
      {/each}
    </span>
  </div>
{:else if picture.kinds.length}
  <div class="states small soft" class:asked>
    {#each picture.kinds as kind (kind.name)}
      <span><i style:background={kind.colour}></i>{kind.name}</span>
    {/each}
  </div>
{:else if states.length}
  <div class="states small soft" class:asked>
    {#each states as state (state.key)}
      <span
        ><i style:background={colour(state.key)}></i><Sign state={state.key} size={12} />
        {stateOf(state.key)?.name}</span
      >
    {/each}
  </div>
{/if}

<style>
  .states {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 12px;
  }
  .states span {
    display: inline-flex;
    align-items: center;
    gap: 4px;
    white-space: nowrap;
  }
  @container sheet (max-width: 210px) {
    div:not(.asked) {
      display: none;
    }
  }
  i {
    width: 9px;
    height: 9px;
    border-radius: 2px;
  }
  .ramp {
    display: flex;
    gap: 10px;
    align-items: baseline;
  }
  .of {
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
    max-width: 45%;
  }
  .scale {
    position: relative;
    flex: 1;
    max-width: 260px;
    height: 25px;
  }
  .colours {
    display: block;
    height: 9px;
    border-radius: 2px;
  }
  .end {
    position: absolute;
    top: 10px;
    transform: translateX(-50%);
    white-space: nowrap;
    font-size: 11px;
  }
  .first {
    transform: none;
  }
  .last {
    transform: translateX(-100%);
  }
</style>
