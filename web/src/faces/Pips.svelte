<script lang="ts">
  /** Steps done of steps, named; of a checklist each can be ticked by who may edit it. */
  import { whole } from './whole'
  import type { Reading } from '../api/client'
  import { tint } from '../api/states.svelte'
  import Sign from '../parts/Sign.svelte'
  import { told, paint, type FaceProps } from './looks'
  import { lists } from './names.svelte'

  let { picture, mini = false, open, tick }: FaceProps = $props()
  const many = $derived(lists(picture))
  const steps = (reading: Reading) =>
    mini ? reading.steps.slice(0, 8) : reading.steps.length ? reading.steps : []
  let more = $state(0)
</script>

{#snippet pips(reading: Reading, named: boolean)}
  <span class="pips" class:named>
    {#each steps(reading) as step (step.name)}
      {@const done = step.done >= 1 - 1e-9}
      {#snippet drawn()}
        <span class="pip" class:done style:border-color={step.done > 0 ? paint(reading) : undefined}>
          <span
            class="part"
            class:hatched={reading.partial}
            style:width="{Math.min(1, step.done) * 100}%"
            style:--full={paint(reading)}
            style:--ground={tint(reading.state)}
          ></span>
        </span>
        {#if named}<span class="step">{step.name}</span>{/if}
      {/snippet}
      {#if tick && (reading.role === 'member' || reading.role === 'all')}
        <button
          class="tickable"
          aria-pressed={done}
          aria-label="{step.name}{reading.label ? `, ${reading.label}` : ''}"
          title="{step.name}: {done ? 'done' : 'not done'}. Press to change"
          onclick={() => tick(reading, step, !done)}>{@render drawn()}</button
        >
      {:else}
        <span class="tickable" title="{step.name}: {done ? 'done' : step.done ? 'partly done' : 'not done'}"
          >{@render drawn()}</span
        >
      {/if}
    {/each}
  </span>
{/snippet}

{#if mini}
  {#if picture.readings[0]}{@render pips(picture.readings[0], false)}{/if}
{:else if many}
  <div class="listing">
    <div
      class="members"
      role="list"
      use:whole={{ count: picture.readings.length, more: (count) => (more = count) }}
    >
      {#each picture.readings as reading (reading.key)}
        <div class="row" role="listitem">
          <button
            class="name"
            data-tip={told(reading)}
            aria-label={reading.spoken}
            onclick={() => open?.(reading)}>{reading.label}</button
          >
          {@render pips(reading, false)}
          <span class="shown" class:none={reading.value === null}>{reading.shown}</span>
          <Sign state={reading.state} of={reading} />
        </div>
      {/each}
    </div>
    {#if more}<p class="more-rows">{more} more</p>{/if}
  </div>
{:else if picture.readings[0]}
  {@render pips(picture.readings[0], picture.readings[0].steps.length <= 8)}
{/if}

<style>
  .pips {
    display: flex;
    flex-wrap: wrap;
    gap: 5px;
    align-items: flex-start;
    min-width: 0;
  }
  .pip {
    display: block;
    width: 100%;
    min-width: 14px;
    height: 13px;
    border: 1.5px solid var(--nothing);
    border-radius: 3px;
    overflow: hidden;
  }
  .part {
    display: block;
    height: 100%;
    background: var(--full);
    transition: width 0.35s ease-out;
  }
  .part.hatched {
    background: repeating-linear-gradient(45deg, var(--full) 0 3px, var(--ground) 3px 6px);
  }
  .tickable {
    display: flex;
    flex-direction: column;
    gap: 2px;
    flex: 1 1 18px;
    max-width: 46px;
    min-width: 16px;
    text-align: center;
  }
  .named .tickable {
    flex-basis: 54px;
    max-width: 110px;
  }
  button.tickable {
    cursor: pointer;
  }
  button.tickable:hover .pip {
    outline: 2px solid var(--accent);
    outline-offset: 1px;
  }
  .step {
    font-size: 11.5px;
    line-height: 1.15;
    color: var(--soft);
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .members {
    display: flex;
    flex-direction: column;
    flex: 1 1 auto;
    min-height: 0;
    overflow: hidden auto;
    position: relative;
    container-type: inline-size;
  }
  @container (max-width: 190px) {
    .row {
      grid-template-columns: minmax(34px, 34%) minmax(24px, 1fr) max-content !important;
      gap: 5px !important;
    }
    .row > :global(.sign) {
      display: none;
    }
  }
  .row {
    display: grid;
    grid-template-columns: minmax(50px, 30%) minmax(40px, 1fr) max-content 18px;
    gap: 10px;
    align-items: center;
    flex: 1 0 25px;
    max-height: 36px;
    border-bottom: 1px solid var(--rule);
    font-size: 13px;
  }
  .row .pips {
    flex-wrap: nowrap;
    overflow: hidden;
    gap: 3px;
  }
  .row .tickable {
    min-width: 6px;
  }
  .row .pip {
    min-width: 0;
  }
  .name {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    text-align: left;
    cursor: pointer;
  }
  .name:hover {
    color: var(--accent);
  }
  .shown {
    font-weight: 650;
  }
  .none {
    font-weight: 400;
    color: var(--soft);
  }
</style>
