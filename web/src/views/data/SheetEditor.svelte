<script lang="ts">
  /** The cells of a typed sheet: changed here, kept as a new version. */
  import { dequal } from 'dequal'
  import { Refusal, api, got, seen, words, type Dataset } from '../../api/client'
  import Cells from './Cells.svelte'

  interface Props {
    dataset: Dataset
    kept: (dataset: Dataset) => void
  }
  let { dataset, kept }: Props = $props()
  let sheet = $state<{ labels: string[]; names: (string | null)[]; rows: string[][] } | null>(null)
  let loaded = $state.raw<unknown>(null)
  let version = 0
  let failed = $state('')
  const dirty = $derived(!!sheet && !dequal(sheet, loaded))

  async function load() {
    try {
      const found = await got(api.GET('/api/datasets/{key}/sheet', { params: { path: { key: dataset.id } } }))
      version = found.version
      sheet = { labels: found.labels, names: found.names, rows: found.rows }
      loaded = $state.snapshot(sheet)
      failed = ''
    } catch (error) {
      failed = words(error)
    }
  }
  $effect(() => {
    void dataset.id
    void dataset.rows_version
    load()
  })
  async function keep() {
    if (!sheet) return
    try {
      const body = $state.snapshot(sheet)
      const made = await got(
        api.PUT('/api/datasets/{key}/sheet', {
          params: { path: { key: dataset.id }, header: seen(Math.max(version, dataset.version)) },
          body,
        }),
      )
      kept(made)
    } catch (error) {
      failed = words(error)
      if (error instanceof Refusal && error.problem.status === 412)
        failed =
          'The sheet was changed elsewhere meanwhile. Copy your cells, drop the changes to take the newer, and paste.'
    }
  }
</script>

<svelte:window onbeforeunload={(event) => dirty && event.preventDefault()} />
<div class="line">
  <h2 class="minor">Cells</h2>
  <span class="small soft">{dirty ? 'changed, not kept yet' : 'typed in here'}</span>
  <span class="grow"></span>
  {#if dirty}
    <button class="act" onclick={load}>Drop the changes</button>
    <button class="act main" onclick={keep}>Keep the changes</button>
  {/if}
</div>
{#if failed}<p class="note gap" role="alert">{failed}</p>{/if}
{#if sheet}<Cells bind:sheet />{/if}

<style>
  .line {
    display: flex;
    gap: 10px;
    align-items: center;
    margin: 0;
    min-height: 30px;
  }
  .grow {
    flex: 1;
  }
</style>
