<script lang="ts">
  import DropAnywhere from '../../parts/DropAnywhere.svelte'
  import { count } from '../../api/numbers'
  import { push } from 'svelte-spa-router'
  import { api, got, words, type Dataset } from '../../api/client'
  import Take from './Take.svelte'
  import { mediumDay } from '../../api/days'

  let datasets = $state<Dataset[] | null>(null)
  let failed = $state('')
  let over = $state(false)
  let taker = $state<ReturnType<typeof Take> | null>(null)
  const KIND: Record<string, string> = { sheet: 'sheet', checklist: 'checklist', live: 'live source' }

  const CLOCK: Record<string, string> = { failed: 'could not be read', held: 'new rows held back' }

  async function load() {
    try {
      datasets = await got(api.GET('/api/datasets'))
    } catch (error) {
      failed = words(error)
    }
  }
  load()
</script>

<DropAnywhere />
<main class="page">
  <div class="top">
    <div>
      <h1>Data</h1>
      <p class="sentence">Tables of rows that KPIs are computed from.</p>
    </div>
    <a class="act" href="#/data/bundle">Bundle</a>
    <a class="act" href="#/data/new/kept">Rows by the clock</a>
    <a class="act" href="#/data/new/live">Live source</a>
    <a class="act" href="#/data/new/checklist">Checklist</a>
    <a class="act" href="#/data/new/sheet">Type or paste a table</a>
    <Take bind:this={taker} label="Upload a file" main done={(id) => push(`/data/${id}`)} />
  </div>
  {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}

  <div
    class="drop sheet"
    class:over
    role="region"
    aria-label="Drop a file here"
    ondragover={(event) => {
      event.preventDefault()
      over = true
    }}
    ondragleave={() => (over = false)}
    ondrop={(event) => {
      event.preventDefault()
      over = false
      taker?.take(event.dataTransfer?.files)
    }}
  >
    {#if datasets?.length}
      <table class="plain">
        <thead
          ><tr
            ><th>Dataset</th><th>From</th><th class="right">Rows</th><th class="right">Columns</th><th
              >Complete through</th
            ><th>Problems</th><th>KPIs</th></tr
          ></thead
        >
        <tbody>
          {#each datasets as dataset (dataset.id)}
            <tr>
              <td><a class="link" href="#/data/{dataset.id}">{dataset.name}</a></td>
              <td class="soft"
                >{KIND[dataset.kind] ?? dataset.file_name}{dataset.by_clock ? ', by the clock' : ''}</td
              >
              <td class="right">{dataset.kind === 'live' ? 'there' : count(dataset.row_count)}</td>
              <td class="right">{dataset.columns.length}</td>
              <td
                >{dataset.kind === 'live' && !dataset.through
                  ? 'its last day'
                  : mediumDay(dataset.through)}</td
              >
              <td
                >{#if dataset.by_clock && CLOCK[dataset.by_clock]}<b>{CLOCK[dataset.by_clock]}</b>{dataset
                    .problems.length
                    ? ', '
                    : ''}{/if}{dataset.problems.length || (CLOCK[dataset.by_clock ?? ''] ? '' : 'none')}</td
              >
              <td class="soft"
                >{dataset.kpis.length
                  ? dataset.kpis
                      .slice(0, 3)
                      .map((kpi) => kpi.name)
                      .join(', ') + (dataset.kpis.length > 3 ? ` and ${dataset.kpis.length - 3} more` : '')
                  : 'none yet'}</td
              >
            </tr>
          {/each}
        </tbody>
      </table>
    {/if}
    <p class="soft invite">
      Drop a file here, or press “Upload a file”: CSV, XLSX, XLS, ODS, JSON records or Parquet. A table made
      for the eye is marked first: what is its head, its months, its totals.
    </p>
  </div>
</main>

<style>
  .drop {
    padding: 10px 14px;
    overflow-x: auto;
  }
  .over {
    outline: 2px dashed var(--accent);
  }
  .invite {
    padding: 18px 6px 10px;
    text-align: center;
  }
  .plain {
    font-size: 13.5px;
  }
  .right {
    text-align: right !important;
  }
</style>
