<script lang="ts">
  import { push } from 'svelte-spa-router'
  import { api, got, words, type Dataset } from '../../api/client'

  let datasets = $state<Dataset[] | null>(null)
  let failed = $state('')
  let busy = $state('')
  let over = $state(false)
  let pending = $state<{ file: File; sheets: string[] } | null>(null)
  let picker = $state<HTMLInputElement | null>(null)

  async function load() {
    try {
      datasets = await got(api.GET('/api/datasets'))
    } catch (error) {
      failed = words(error)
    }
  }
  load()

  const form = (file: File) => {
    const made = new FormData()
    made.append('file', file)
    return made
  }
  const sent = (file: File) => ({
    body: { file: file as unknown as string },
    bodySerializer: () => form(file),
  })

  /** A workbook with several sheets is asked about first; anything else is read at once. */
  async function take(files: FileList | null | undefined) {
    const file = files?.[0]
    if (!file || busy) return
    failed = ''
    pending = null
    busy = `Opening ${file.name}…`
    try {
      const sheets = /\.(xlsx|ods)$/i.test(file.name)
        ? await got(api.POST('/api/datasets/sheets', sent(file)))
        : []
      if (sheets.length > 1) pending = { file, sheets }
      else await upload(file)
    } catch (error) {
      failed = words(error)
    } finally {
      busy = ''
      if (picker) picker.value = ''
    }
  }
  async function upload(file: File, sheet?: string) {
    busy = `Reading ${file.name}…`
    try {
      const made = await got(api.POST('/api/datasets', { params: { query: { sheet } }, ...sent(file) }))
      await push(`/data/${made.id}`)
    } catch (error) {
      failed = words(error)
    } finally {
      busy = ''
    }
  }
  const day = (text: string | null | undefined) =>
    text
      ? new Intl.DateTimeFormat('en-GB', { dateStyle: 'medium', timeZone: 'UTC' }).format(new Date(text))
      : 'no day'
</script>

<main class="page">
  <div class="top">
    <div>
      <h1>Data</h1>
      <p class="sentence">Tables of rows that KPIs are computed from.</p>
    </div>
    <button class="act main" disabled={!!busy} onclick={() => picker?.click()}>Upload a file</button>
  </div>
  <input
    bind:this={picker}
    type="file"
    class="sr-only"
    tabindex="-1"
    accept=".csv,.tsv,.txt,.xlsx,.ods,.json,.parquet,text/csv"
    aria-label="File to upload"
    onchange={(event) => take(event.currentTarget.files)}
  />
  {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}
  {#if pending}
    <div class="aside-note gap ask" role="group" aria-label="Which sheet">
      <b>Which sheet of {pending.file.name}?</b>
      {#each pending.sheets as sheet (sheet)}
        <button class="act" disabled={!!busy} onclick={() => pending && upload(pending.file, sheet)}
          >{sheet}</button
        >
      {/each}
      <button class="act quiet" onclick={() => (pending = null)}>None of them</button>
    </div>
  {/if}

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
      take(event.dataTransfer?.files)
    }}
  >
    {#if datasets?.length}
      <table class="plain">
        <thead
          ><tr
            ><th>Dataset</th><th>File</th><th class="right">Rows</th><th class="right">Columns</th><th
              >Complete through</th
            ><th>Problems</th><th>KPIs</th></tr
          ></thead
        >
        <tbody>
          {#each datasets as dataset (dataset.id)}
            <tr>
              <td><a class="link" href="#/data/{dataset.id}">{dataset.name}</a></td>
              <td class="soft">{dataset.file_name}</td>
              <td class="right">{dataset.row_count.toLocaleString('en-GB')}</td>
              <td class="right">{dataset.columns.length}</td>
              <td>{day(dataset.through)}</td>
              <td>{dataset.problems.length || 'none'}</td>
              <td class="soft"
                >{dataset.kpis.length
                  ? dataset.kpis.slice(0, 3).join(', ') +
                    (dataset.kpis.length > 3 ? ` and ${dataset.kpis.length - 3} more` : '')
                  : 'none yet'}</td
              >
            </tr>
          {/each}
        </tbody>
      </table>
    {/if}
    <p class="soft invite" aria-live="polite">
      {busy ||
        'Drop a file here, or press “Upload a file”: CSV, XLSX, ODS, JSON records or Parquet, the column names on top.'}
    </p>
  </div>
</main>

<style>
  .ask {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 8px;
  }
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
