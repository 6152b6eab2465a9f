<script lang="ts">
  /** A new checklist: its items and named steps. */
  import { push } from 'svelte-spa-router'
  import { api, got, words } from '../../api/client'
  import Ticks from './Ticks.svelte'
  import { today } from '../../api/clock'

  let name = $state('My checklist')
  let failed = $state('')
  let list = $state({
    items: ['First item', 'Second item'],
    steps: ['Planned', 'Under way', 'Done'],
    done: [
      [false, false, false],
      [false, false, false],
    ],
  })
  async function keep() {
    try {
      const body = { name, day: today(), ...$state.snapshot(list) }
      const made = await got(api.POST('/api/datasets/checklists', { body }))
      await push(`/data/${made.id}`)
    } catch (error) {
      failed = words(error)
    }
  }
</script>

<main class="page">
  <div class="top">
    <div class="grow">
      <h1 class="sr-only">A new checklist</h1>
      <input class="page-title" aria-label="Name of the checklist" maxlength="120" bind:value={name} />
      <p class="sentence">Items down, named steps across; a KPI on it counts steps done of steps.</p>
    </div>
    <a class="act" href="#/data">Leave it</a>
    <button class="act main" disabled={!name.trim()} onclick={keep}>Keep the checklist</button>
  </div>
  {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}
  <Ticks {...list} change={(edit) => (list = { ...list, ...edit })} />
</main>

<style>
  .grow {
    flex: 1;
  }
</style>
