<script lang="ts">
  /** One search over everything that has a name, by keyboard alone: typed, arrows, Enter. */
  import { Dialog, Portal } from '@skeletonlabs/skeleton-svelte'
  import { OVER } from '../../parts/over'
  import { push } from 'svelte-spa-router'
  import { api, got, settled, words, type Schemas } from '../../api/client'

  let { close }: { close: () => void } = $props()
  let wanted = $state('')
  let found = $state<Schemas['FoundThing'][]>([])
  let looked = $state('')
  let failed = $state('')
  let at = $state(0)
  const NAMES: Record<Schemas['FoundThing']['what'], string> = {
    scorecard: 'scorecard',
    kpi: 'KPI',
    member: 'member',
    yardstick: 'yardstick',
    dataset: 'data',
    edition: 'edition',
    note: 'note',
  }
  const look = settled(60, async (q: string) => {
    if (!q.trim()) {
      found = []
      looked = ''
      return
    }
    try {
      found = await got(api.GET('/api/find', { params: { query: { q } } }))
      failed = ''
    } catch (error) {
      failed = words(error)
    }
    looked = q
    at = 0
  })
  async function go(one: Schemas['FoundThing'] | undefined) {
    if (!one) return
    close()
    await push(`/${one.place}`)
  }
  function key(event: KeyboardEvent) {
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      event.preventDefault()
      if (found.length) at = (at + (event.key === 'ArrowDown' ? 1 : found.length - 1)) % found.length
      document.getElementById(`found-${at}`)?.scrollIntoView({ block: 'nearest' })
    } else if (event.key === 'Enter') {
      event.preventDefault()
      void go(found[at])
    }
  }
</script>

<Dialog open {...OVER} onOpenChange={(details) => !details.open && close()}>
  <Portal>
    <Dialog.Backdrop class="find-backdrop" />
    <Dialog.Positioner class="find-place">
      <Dialog.Content class="find-panel sheet">
        <Dialog.Title class="sr-only">Find</Dialog.Title>
        <input
          class="type-in field"
          placeholder="A scorecard, KPI, member, yardstick, dataset, edition or note"
          aria-label="Find"
          role="combobox"
          aria-expanded={found.length > 0}
          aria-controls="found"
          aria-autocomplete="list"
          aria-activedescendant={found.length ? `found-${at}` : undefined}
          autocomplete="off"
          maxlength="200"
          bind:value={wanted}
          oninput={() => look(wanted)}
          onkeydown={key}
        />
        <ul id="found" role="listbox" aria-label="Found">
          {#each found as one, i (i)}
            <!-- svelte-ignore a11y_click_events_have_key_events (the field has the keys) -->
            <li
              id="found-{i}"
              role="option"
              aria-selected={i === at}
              onpointermove={() => (at = i)}
              onclick={() => void go(one)}
            >
              <span class="what small soft">{NAMES[one.what]}</span>
              <b>{one.name}</b>
              <span class="small soft beside">{one.note}</span>
            </li>
          {/each}
        </ul>
        <p class="small soft" role="status">
          {#if failed}{failed}{:else if looked && !found.length}Nothing is called like “{looked}”.{/if}
        </p>
      </Dialog.Content>
    </Dialog.Positioner>
  </Portal>
</Dialog>

<style>
  :global(.find-backdrop) {
    position: fixed;
    inset: 0;
    background: rgb(20 25 29 / 0.25);
    z-index: 80;
  }
  :global(.find-place) {
    position: fixed;
    inset: 64px 0 auto;
    z-index: 81;
    display: flex;
    justify-content: center;
    padding: 0 10px;
  }
  :global(.find-panel) {
    width: min(680px, 100%);
    max-height: calc(100vh - 100px);
    display: flex;
    flex-direction: column;
    padding: 12px;
    box-shadow: var(--lift);
  }
  .field {
    width: 100%;
    font-size: 16px;
    padding: 8px 10px;
  }
  ul {
    overflow: auto;
    margin-top: 6px;
    list-style: none;
  }
  li {
    display: grid;
    grid-template-columns: 74px minmax(0, auto) minmax(0, 1fr);
    gap: 10px;
    align-items: baseline;
    padding: 6px 8px;
    min-height: 32px;
    border-radius: 3px;
    cursor: pointer;
  }
  @media screen and (max-width: 760px) {
    li {
      min-height: 44px;
      align-items: center;
    }
  }
  li[aria-selected='true'] {
    background: var(--accent-tint);
  }
  .beside {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
</style>
