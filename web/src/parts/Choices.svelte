<script lang="ts">
  /** A list to choose from, with a field to find in it when it is long. Arrows move, Enter chooses. */
  interface Choice {
    key: string
    name: string
    note?: string
    off?: boolean
  }
  interface Props {
    choices: Choice[]
    chosen?: string | null
    many?: string[]
    choose: (key: string) => void
  }
  let { choices, chosen, many, choose }: Props = $props()
  let wanted = $state('')
  const found = $derived(
    choices.filter((choice) => choice.name.toLocaleLowerCase().includes(wanted.toLocaleLowerCase())),
  )
  function step(event: KeyboardEvent) {
    if (event.key !== 'ArrowDown' && event.key !== 'ArrowUp') return
    event.preventDefault()
    const items = [
      ...(event.currentTarget as HTMLElement).querySelectorAll<HTMLElement>('button:not(:disabled)'),
    ]
    const at = items.indexOf(document.activeElement as HTMLElement)
    items[Math.min(items.length - 1, Math.max(0, at + (event.key === 'ArrowDown' ? 1 : -1)))]?.focus()
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
<div role="group" onkeydown={step}>
  {#if choices.length > 9}
    <input class="type-in" placeholder="Find" aria-label="Find" bind:value={wanted} />
  {/if}
  {#each found as choice (choice.key)}
    {@const on = many ? many.includes(choice.key) : choice.key === chosen}
    <button
      class="choice"
      class:on
      disabled={choice.off}
      aria-pressed={on}
      onclick={() => choose(choice.key)}
    >
      <span class="tick" aria-hidden="true">{on ? '✓' : ''}</span>
      <span
        >{choice.name}{#if choice.note}<span class="soft small">{choice.note}</span>{/if}</span
      >
    </button>
  {:else}
    <p class="soft small none">Nothing is called “{wanted}”.</p>
  {/each}
</div>

<style>
  .choice {
    display: flex;
    gap: 6px;
    width: 100%;
    padding: 5px 8px 5px 4px;
    text-align: left;
    border-radius: 3px;
    cursor: pointer;
  }
  .choice:hover:not(:disabled),
  .choice:focus-visible {
    background: var(--accent-tint);
  }
  .choice:disabled {
    opacity: 0.45;
    cursor: default;
  }
  .choice .soft {
    display: block;
  }
  .on {
    font-weight: 640;
  }
  .tick {
    width: 14px;
    flex: none;
    color: var(--accent);
  }
  .none {
    padding: 8px;
  }
</style>
