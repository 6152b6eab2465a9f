<script lang="ts">
  /** How many readings are in each state, as one bar of the states in rank order. */
  import type { Schemas } from '../api/client'
  import { colour, on, stateOf } from '../api/states.svelte'
  import Sign from './Sign.svelte'

  interface Props {
    tally: Schemas['TallyPart'][]
    thin?: boolean
    /** The counts with the signs; the states' names are only spoken. */
    brief?: boolean
    /** Given where a part can be pressed, so that only its readings stay bright. */
    press?: (state: string) => void
    pressed?: string
  }
  let { tally, thin = false, brief = false, press, pressed = '' }: Props = $props()
  /** In brief what has no state is one part: its two names would not fit. */
  const parts = $derived.by(() => {
    const without = tally.filter((part) => !stateOf(part.state))
    if (!brief || !without.length) return tally
    const name = without.map((part) => `${part.count} ${part.name}`).join(', ')
    const count = without.reduce((sum, part) => sum + part.count, 0)
    return [...tally.filter((part) => stateOf(part.state)), { ...without[0]!, count, name }]
  })
</script>

{#snippet said(part: Schemas['TallyPart'], known: boolean)}
  {#if known || brief}<Sign
      state={part.state}
      fill={known ? on(part.state) : 'currentColor'}
      size={thin ? 13 : 16}
    />{/if}
  <span
    >{part.count}
    <span class:sr-only={brief}
      >{part.name}{#if part.signals && !thin && part.count > 0}<span class="of"
          >, {part.signals} {part.signals === 1 ? 'signal' : 'signals'}</span
        >{/if}</span
    ></span
  >
{/snippet}

<div class="tally" class:thin class:brief role={press ? 'group' : 'list'} aria-label="Readings by state">
  {#each parts as part (part.state)}
    {@const known = !!stateOf(part.state)}
    {@const look = `flex-grow:${part.count}${known ? `;background:${colour(part.state)};color:${on(part.state)}` : ''}`}
    {#if press}
      <button
        class="part"
        class:dim={pressed && pressed !== part.state}
        class:nothing={!known}
        aria-pressed={pressed === part.state}
        title={pressed === part.state ? 'Show all again' : 'Only these stay bright'}
        onclick={() => press(part.state)}
        style={look}>{@render said(part, known)}</button
      >
    {:else}
      <div
        role="listitem"
        class="part"
        class:nothing={!known}
        title={brief && !known ? part.name : undefined}
        style={look}
      >
        {@render said(part, known)}
      </div>
    {/if}
  {/each}
</div>

<style>
  .tally {
    display: flex;
    flex-wrap: wrap;
    gap: 2px;
    border-radius: 4px;
    overflow: hidden;
  }
  .part {
    display: flex;
    align-items: center;
    gap: 7px;
    min-width: max-content;
    flex-basis: 0;
    padding: 4px 12px 4px 10px;
    min-height: 30px;
    font-weight: 620;
  }
  @media screen and (max-width: 760px) {
    button.part {
      min-height: 44px;
    }
  }
  .thin .part {
    min-height: 24px;
    padding: 1px 8px;
    font-size: 12px;
    gap: 5px;
  }
  .brief {
    flex-wrap: nowrap;
  }
  .brief .part {
    padding: 1px 6px;
    gap: 3px;
  }
  button.part {
    cursor: pointer;
    text-align: left;
  }
  button.part:focus-visible {
    outline-offset: -3px;
    outline-color: currentColor;
  }
  .dim {
    opacity: 0.42;
  }
  .nothing {
    background: var(--nothing);
    color: var(--ink);
  }
</style>
