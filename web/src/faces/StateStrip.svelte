<script lang="ts">
  /** One cell a period in the colour of its state, with its sign where there is room; a row for each member. */
  import { whole } from './whole'
  import type { Reading } from '../api/client'
  import { colour, on, stateOf, tint } from '../api/states.svelte'
  import Sign from '../parts/Sign.svelte'
  import { widthOf } from './labels'
  import type { FaceProps } from './looks'
  import { lists, measured } from './names.svelte'
  import { sized } from '../parts/sized'

  let { picture, mini = false, open }: FaceProps = $props()
  const many = $derived(lists(picture))
  let width = $state(300)
  const count = $derived(Math.max(1, ...measured(picture).map((reading) => reading.trail.length)))
  const cell = $derived(width / count)
  const longest = $derived(measured(picture).find((reading) => reading.trail.length === count)?.trail ?? [])
  const every = $derived(Math.max(1, Math.ceil(50 / Math.max(1, cell))))
  const told = (moment: Reading['trail'][number]) =>
    `${moment.label}: ${moment.shown}${moment.state ? `, ${stateOf(moment.state)?.name}` : ''}${moment.partial ? ', partial' : ''}`
  let more = $state(0)
</script>

{#snippet cells(reading: Reading)}
  <span class="cells">
    {#each reading.trail as moment (moment.label)}
      <span
        class="cell"
        class:none={!moment.state}
        title={told(moment)}
        style:background={moment.partial && moment.state
          ? `repeating-linear-gradient(45deg, ${colour(moment.state)} 0 3px, ${tint(moment.state)} 3px 6px)`
          : moment.state
            ? colour(moment.state)
            : undefined}
      >
        {#if cell > 17 && !moment.partial}<Sign
            state={moment.state}
            size={13}
            fill={moment.state ? on(moment.state) : 'var(--soft)'}
          />{/if}
      </span>
    {/each}
  </span>
{/snippet}

{#if mini}
  {#if picture.readings[0]}<span class="mini"
      >{@render cells({ ...picture.readings[0], trail: picture.readings[0].trail.slice(-6) })}</span
    >{/if}
{:else}
  <div class="strip" class:many>
    <div class="listing" style:--lines={picture.readings.length}>
      <div class="rows" use:whole={{ count: picture.readings.length, more: (count) => (more = count) }}>
        {#each picture.readings as reading (reading.key)}
          {#if open}
            <button
              class="line"
              data-line
              onclick={() => open?.(reading)}
              aria-label="{reading.spoken}; {reading.trail.map(told).join('; ')}"
            >
              {#if many}<span class="name" title={reading.label}>{reading.label}</span>{/if}
              {@render cells(reading)}
            </button>
          {:else}<span class="line" data-line
              >{#if many}<span class="name">{reading.label}</span>{/if}{@render cells(reading)}</span
            >{/if}
        {/each}
      </div>
      {#if more}<p class="more-rows">{more} more</p>{/if}
    </div>
    <div class="ends small soft" aria-hidden="true">
      {#if many}<span class="name"></span>{/if}
      <span class="cells" {@attach sized((w) => (width = w))}>
        {#each longest as moment, i (moment.label)}
          <span class="when"
            >{(longest.length - 1 - i) % every === 0 && (i + 1) * cell > widthOf(moment.short, 11)
              ? moment.short
              : ''}</span
          >
        {/each}
      </span>
    </div>
  </div>
{/if}

<style>
  .strip {
    display: flex;
    flex-direction: column;
    height: 100%;
    justify-content: center;
  }
  .rows {
    display: flex;
    flex-direction: column;
    gap: 2px;
    min-height: 0;
    overflow: hidden auto;
    position: relative;
  }
  .line,
  .ends {
    display: flex;
    gap: 10px;
    align-items: center;
    width: 100%;
    min-height: 24px;
    text-align: left;
  }
  .strip > .listing {
    flex: 0 1 auto;
    height: calc(var(--lines) * 46px);
  }
  .strip:not(.many) > .listing {
    height: 72px;
  }
  .rows {
    flex: 1;
  }
  .rows > .line {
    flex: 1 0 24px;
  }
  .rows .cells {
    align-self: stretch;
  }
  button {
    cursor: pointer;
  }
  button:hover {
    background: var(--accent-tint);
  }
  .name {
    flex: 0 0 26%;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: var(--names, nowrap);
    line-height: 1.15;
    font-size: 13px;
  }
  .cells {
    display: flex;
    flex: 1;
    gap: 2px;
    min-width: 0;
  }
  .cell {
    flex: 1;
    min-width: 0;
    min-height: 21px;
    display: grid;
    place-items: center;
    border-radius: 2px;
    overflow: hidden;
  }
  .strip:not(.many) .cell {
    min-height: 34px;
  }
  .cell.none {
    outline: 1px dashed var(--nothing);
    outline-offset: -1px;
  }
  .when {
    flex: 1;
    min-width: 0;
    display: flex;
    justify-content: flex-end;
    overflow: visible;
    white-space: nowrap;
    font-size: 11px;
  }
  .mini {
    display: flex;
  }
</style>
