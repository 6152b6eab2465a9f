<script lang="ts">
  /** A table typed or pasted here instead of uploaded. */
  import { push } from 'svelte-spa-router'
  import { api, got, words } from '../../api/client'
  import Cells from './Cells.svelte'

  let name = $state('My sheet')
  let failed = $state('')
  let busy = $state(false)
  let sheet = $state({
    labels: ['Month', 'Member', 'Value'],
    names: [null, null, null] as (string | null)[],
    rows: [] as string[][],
  })
  async function keep() {
    busy = true
    try {
      const { labels, rows } = $state.snapshot(sheet)
      const made = await got(api.POST('/api/datasets/typed', { body: { name, labels, names: [], rows } }))
      await push(`/data/${made.id}`)
    } catch (error) {
      failed = words(error)
    } finally {
      busy = false
    }
  }
</script>

<main class="page">
  <div class="top">
    <div class="grow">
      <h1 class="sr-only">A new sheet</h1>
      <input class="page-title" aria-label="Name of the sheet" maxlength="120" bind:value={name} />
      <p class="sentence">
        Type in the cells, or paste a table from a spreadsheet: its first line becomes the headings. One
        column holds days, such as 2026-10-31.
      </p>
    </div>
    <a class="act" href="#/data">Leave it</a>
    <button
      class="act main"
      disabled={busy || !name.trim() || !sheet.rows.some((line) => line.some(Boolean))}
      onclick={keep}>Keep the sheet</button
    >
  </div>
  {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}
  <Cells bind:sheet />
</main>

<style>
  .grow {
    flex: 1;
  }
</style>
