<script lang="ts">
  /** A list to choose from, with a field to find in it when it is long. Arrows move, Enter chooses. */
  import { Listbox, useListCollection } from '@skeletonlabs/skeleton-svelte'
  import { onMount } from 'svelte'
  import { folded, has } from './folded'

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
    wanted.trim() ? choices.filter((choice) => has(choice.name, wanted.trim())) : choices,
  )
  /** The press that opens a long list is answered with as much of it as is seen at first. */
  const AT_FIRST = 12
  let drawn = $state(AT_FIRST)
  onMount(() => {
    const next = requestAnimationFrame(() => setTimeout(() => (drawn = Infinity)))
    return () => cancelAnimationFrame(next)
  })
  /** Enter takes the only one that is left, or the one that is called just so. */
  function enter(event: KeyboardEvent) {
    if (
      event.key !== 'Enter' ||
      !wanted.trim() ||
      (event.target as HTMLElement).hasAttribute('aria-activedescendant')
    )
      return
    const open = found.filter((choice) => !choice.off)
    const one =
      open.length === 1 ? open[0] : open.find((choice) => folded(choice.name) === folded(wanted.trim()))
    if (!one) return
    event.preventDefault()
    choose(one.key)
  }
  const collection = $derived(
    useListCollection({
      items: found,
      itemToValue: (choice) => choice.key,
      itemToString: (choice) => choice.name,
      isItemDisabled: (choice) => !!choice.off,
    }),
  )
</script>

<!-- The list takes the focus by itself when a choice is pressed, but scrolls to its top by that, away from under the
pointer; left alone, pressing focuses it without. -->
<div onmousedowncapture={(event) => event.target instanceof HTMLInputElement || event.stopPropagation()}>
  <!-- What is chosen is told by each choice, not held by the list: choosing it once more is a choice too. -->
  <Listbox {collection} value={[]} onSelect={(details) => choose(details.value)}>
    <Listbox.Label class="sr-only">What to choose</Listbox.Label>
    {#if choices.length > 9}
      <Listbox.Input
        class="type-in"
        placeholder="Find"
        aria-label="Find"
        value={wanted}
        onkeydown={enter}
        oninput={(event: Event) => (wanted = (event.currentTarget as HTMLInputElement).value)}
      />
    {/if}
    <Listbox.Content class="choices">
      {#each found.slice(0, drawn) as choice (choice.key)}
        {@const on = many ? many.includes(choice.key) : choice.key === chosen}
        <Listbox.Item class="choice {on ? 'on' : ''}" item={choice} aria-selected={on} highlightOnHover>
          <span class="tick" aria-hidden="true">{on ? '✓' : ''}</span>
          <span
            >{choice.name}{#if choice.note}<span class="soft small">{choice.note}</span>{/if}</span
          >
        </Listbox.Item>
      {/each}
    </Listbox.Content>
    {#if !found.length}<p class="soft small none" role="status">
        {wanted ? `Nothing is called “${wanted}”.` : 'There is nothing to choose.'}
      </p>{/if}
  </Listbox>
</div>

<style>
  :global(.choices) {
    outline: none;
  }
  :global(.choice) {
    display: flex;
    gap: 6px;
    width: 100%;
    padding: 5px 8px 5px 4px;
    text-align: left;
    border-radius: 3px;
    cursor: pointer;
  }
  :global(.choice[data-highlighted]) {
    background: var(--accent-tint);
  }
  :global(.choice[data-disabled]) {
    opacity: 0.45;
    cursor: default;
  }
  :global(.choice) .soft {
    display: block;
  }
  :global(.choice.on) {
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
