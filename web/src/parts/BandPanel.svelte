<script lang="ts">
  /** One band of a yardstick: which state it is, and whether it is split or taken out. */
  import { statesBeside } from '../api/states.svelte'
  import Sign from './Sign.svelte'

  interface Props {
    state: string
    /** Where it lies. */
    words: string
    choose: (state: string) => void
    /** None where there are as many bands as can be; remove: as few. */
    split?: () => void
    remove?: () => void
  }
  let { state, words, choose, split, remove }: Props = $props()
</script>

<p class="small soft">{words || 'Band'} is</p>
{#each statesBeside(state) as one (one.key)}
  <button class="pick" class:on={one.key === state} onclick={() => choose(one.key)}>
    <Sign state={one.key} />{one.name}
  </button>
{/each}
<div class="line">
  <button class="act" disabled={!split} onclick={split}>Split in two</button>
  <button class="act" disabled={!remove} onclick={remove}>Take out</button>
</div>

<style>
  .pick {
    display: flex;
    gap: 8px;
    align-items: center;
    padding: 4px 6px;
    border-radius: 3px;
    text-align: left;
    cursor: pointer;
  }
  .pick:hover {
    background: var(--accent-tint);
  }
  .pick.on {
    font-weight: 650;
    background: var(--accent-tint);
  }
</style>
