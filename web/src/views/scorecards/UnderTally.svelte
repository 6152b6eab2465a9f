<script lang="ts">
  /** What stands below the tally: who still lacks a word, what was just changed, and that the server is away. */
  import type { Moved } from './session.svelte'

  interface Props {
    wanted: number
    lit: string
    away: boolean
    moved: Moved[]
    press: (state: string) => void
    seen: () => void
  }
  let { wanted, lit, away, moved, press, seen }: Props = $props()
  const SHOWN = 3
</script>

{#if wanted || lit || away || moved.length}
  <p class="under small" aria-live="polite">
    {#if wanted}
      <button class="link" aria-pressed={lit === 'wanted'} onclick={() => press('wanted')}
        >{wanted} without a word</button
      >
    {/if}
    {#if lit}<button class="link" onclick={() => press(lit)}>Show all again</button>{/if}
    {#if away}<span>The server is away; this is how it read last. It is asked again by itself.</span>{/if}
    {#if moved.length}
      <span
        >Just changed: {moved
          .slice(0, SHOWN)
          .map((one) => `${one.title} ${one.from} → ${one.to}`)
          .join('; ')}{moved.length > SHOWN ? `; and ${moved.length - SHOWN} more` : ''}
        <button class="link" onclick={seen}>Seen</button></span
      >
    {/if}
  </p>
{/if}

<style>
  .under {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 16px;
    margin-top: 6px;
  }
</style>
