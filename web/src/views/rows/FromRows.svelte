<script lang="ts">
  /** A scorecard from rows: pasted, uploaded or there already; what is proposed is kept or dropped one by one. */
  import DropAnywhere from '../../parts/DropAnywhere.svelte'
  import { push, router } from 'svelte-spa-router'
  import { api, got, words, type Dataset, type Schemas } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import PickFile from '../../parts/PickFile.svelte'
  import Slot from '../../parts/Slot.svelte'
  import DraftPage from './DraftPage.svelte'
  import { looking } from '../../parts/looking.svelte'
  import { Sending, lookAt } from '../data/upload.svelte'

  const TYPED = 5000 // rows that become a sheet that can be typed into; more are kept as a file
  const sending = new Sending()
  let datasets = $state<Dataset[]>([])
  let dataset = $state('')
  let ask = $state.raw<Schemas['DraftAsk'] | null>(null)
  let found = $state.raw<Schemas['DraftOut'] | null>(null)
  let title = $state('')
  let name = $state('Pasted rows')
  let failed = $state('')
  let busy = $state('')
  let area = $state<HTMLTextAreaElement | null>(null)
  const pasting = $derived((router.querystring ?? '').startsWith('paste'))

  got(api.GET('/api/datasets')).then(
    (all) => (datasets = all),
    (error) => (failed = words(error)),
  )
  $effect(() => {
    if (pasting) area?.focus()
  })
  $effect(() => {
    const of = new URLSearchParams(router.querystring ?? '').get('of')
    if (of) read(of)
  })
  async function tried(stage: string, work: () => Promise<void>) {
    busy = stage
    failed = ''
    try {
      await work()
    } catch (error) {
      failed = words(error)
    }
    busy = ''
  }
  const read = (id: string) => {
    dataset = id
    found = null
  }
  const upload = (file: File | undefined) =>
    file &&
    tried(`Sending ${file.name}…`, async () => {
      if (await messy(file)) return
      const id = await sending.send(file)
      if (id) read(id)
    })
  /** Whether a table is no plain list: what it is taken for is then looked at first. */
  async function messy(file: File): Promise<boolean> {
    const look = await lookAt(file).catch(() => null)
    if (!look || look.tidy) return false
    looking.file = file
    await push('/data/new/table')
    return true
  }
  /** Cells as a spreadsheet copies them: tabs between, quotes around what holds a line break. */
  function cells(text: string): string[][] {
    const rows: string[][] = [[]]
    for (const [, quoted, plain, end] of text.matchAll(/(?:"((?:[^"]|"")*)"|([^\t\r\n]*))(\t|\r?\n|\r|$)/g)) {
      rows.at(-1)!.push((quoted?.replaceAll('""', '"') ?? plain ?? '').trim())
      if (end === '') break
      if (end !== '\t') rows.push([])
    }
    return rows.filter((row) => row.some(Boolean))
  }
  const keep = (text: string) =>
    tried('Keeping the rows…', async () => {
      const tabs = text.includes('\t')
      const pasted = new File([text], `${name}.${tabs ? 'tsv' : 'csv'}`, { type: 'text/plain' })
      if (await messy(pasted)) return
      const [labels = [], ...rows] = cells(text)
      // Lines of a CSV file are read as one: by their own separator.
      if (!rows.length || (labels.length < 2 && !/[,;|]/.test(labels[0] ?? '')))
        throw new Error(
          'That is no table yet. Copy cells in a spreadsheet with their heads in the first line, at least two columns and one row, and paste them here.',
        )
      if (!tabs || rows.length > TYPED) {
        const [ending, type] = tabs ? ['tsv', 'text/tab-separated-values'] : ['csv', 'text/csv']
        const id = await sending.send(new File([text], `${name}.${ending}`, { type }))
        if (id) read(id)
        return
      }
      const even = rows.map((row) => labels.map((_, at) => row[at] ?? ''))
      const body = { name: name.trim() || 'Pasted rows', labels, names: [], rows: even }
      const made = await got(api.POST('/api/datasets/typed', { body }))
      read(made.id)
    })
  const make = () =>
    tried('Keeping it…', async () => {
      if (!ask) return
      const made = await got(api.POST('/api/from-rows/make', { body: { ...ask, title } }))
      sessionStorage.setItem('made-from-rows', made.id)
      await push(`/scorecards/${made.id}`)
    })
</script>

<DropAnywhere />
<main class="page">
  <div class="top">
    <div class="grow">
      {#if dataset}
        <h1 class="sr-only">A scorecard from rows</h1>
        <input class="page-title" aria-label="The scorecard is called" maxlength="120" bind:value={title} />
      {:else}<h1>A scorecard from rows</h1>{/if}
      <p class="sentence">
        {#if dataset}
          From <Slot
            text={datasets.find((one) => one.id === dataset)?.name ?? found?.title ?? ''}
            label="Rows"
          >
            {#snippet children(close)}
              <Choices
                choices={datasets
                  .filter((one) => one.kind !== 'live')
                  .map((one) => ({ key: one.id, name: one.name }))}
                chosen={dataset}
                choose={(id) => {
                  close()
                  read(id)
                }}
              />
            {/snippet}
          </Slot>{found ? `, by ${found.grain}` : ''}. This is a draft, drawn from the rows: throw away what
          you do not want, change what is underlined, then keep it.
        {:else}
          Paste a table, upload a file, or take rows that are here: KPIs, marks, yardsticks and faces are
          proposed from their columns, each with its reason.
        {/if}
      </p>
    </div>
    {#if dataset}
      <button class="act" onclick={() => (dataset = '')}>Other rows</button>
      <button class="act main" disabled={!!busy || !found?.sheets.length} onclick={make}>Keep it</button>
    {/if}
  </div>
  {#if busy}<p class="aside-note" role="status">
      {sending.stage && busy.startsWith('Sending') ? sending.stage : busy}
    </p>{/if}
  {#if failed}<p class="note" role="alert">{failed}</p>{/if}

  {#if !dataset}
    <div class="ways">
      <section class="sheet way wide">
        <h2>Paste a table</h2>
        <label class="small soft">Called <input class="type-in" maxlength="120" bind:value={name} /></label>
        <textarea
          class="type-in"
          bind:this={area}
          rows="7"
          aria-label="Pasted table"
          placeholder="Cells copied in a spreadsheet, their heads in the first line. One column holds days, such as 2026-10-31."
          onpaste={(event) => {
            const text = event.clipboardData?.getData('text/plain') ?? ''
            if (!text.includes('\t')) return
            event.preventDefault()
            void keep(text)
          }}></textarea>
        <p>
          <button class="act" disabled={!!busy} onclick={() => keep(area?.value ?? '')}>Use this table</button
          >
        </p>
      </section>
      <section class="sheet way">
        <h2>Upload a file</h2>
        <p class="small soft">CSV, XLSX, ODS or Parquet, also packed as ZIP or gzip.</p>
        <PickFile
          label="Choose a file"
          name="File with rows"
          accept=".csv,.tsv,.txt,.xlsx,.xls,.ods,.parquet,.zip,.gz"
          disabled={!!busy}
          take={(files) => void upload(files?.[0])}
        />
      </section>
      {#if datasets.length}
        <section class="sheet way">
          <h2>Rows that are here</h2>
          <ul class="here">
            {#each datasets.filter((one) => one.kind !== 'live') as one (one.id)}
              <li><button class="act quiet" onclick={() => read(one.id)}>{one.name}</button></li>
            {/each}
          </ul>
        </section>
      {/if}
    </div>
  {:else}
    {#key dataset}<DraftPage
        {dataset}
        asked={(next, draft) => {
          if (!found) title = draft.title
          ask = next
          found = draft
        }}
      />{/key}
  {/if}
</main>

<style>
  .top {
    display: flex;
    gap: 12px;
    align-items: flex-start;
    margin-bottom: 10px;
  }
  .grow {
    flex: 1;
  }
  .ways {
    display: grid;
    grid-template-columns: minmax(0, 2fr) minmax(0, 1fr) minmax(0, 1fr);
    gap: 12px;
    align-items: start;
  }
  .way {
    display: grid;
    gap: 8px;
    align-content: start;
    padding: 14px 16px;
  }
  textarea {
    width: 100%;
    line-height: 1.45;
    padding: 8px;
  }
  .here {
    list-style: none;
  }
  .here button {
    min-height: 28px;
  }
  @media (max-width: 900px) {
    .ways {
      grid-template-columns: minmax(0, 1fr);
    }
    .top {
      flex-wrap: wrap;
    }
    .grow {
      flex-basis: 100%;
    }
  }
</style>
