<script lang="ts">
  /** Everything as one file: taken out, or read, and told what it would change before it does. */
  import { api, attempt, got, type Schemas } from '../../api/client'
  import PickFile from '../../parts/PickFile.svelte'

  let report = $state.raw<Schemas['Report'] | null>(null)
  let cards = $state.raw<Schemas['Scorecard'][]>([])
  let chosen = $state<string[]>([])
  let rows = $state(true)
  let notes = $state(true)
  let editions = $state(false)
  let replace = $state(false)
  let failed = $state('')
  let done = $state('')
  let busy = $state(false)
  let file = $state.raw<File | null>(null)

  void attempt(
    async () => {
      cards = await got(api.GET('/api/scorecards'))
    },
    (said) => (failed = said),
  )
  const address = $derived(
    `/api/bundle?${new URLSearchParams([...chosen.map((key) => ['scorecard', key]), ['rows', String(rows)], ['notes', String(notes)], ['editions', String(editions)]])}`,
  )
  const WHAT = { new: 'new', same: 'as it is here', changed: 'differs', clash: 'clashes' }
  const KINDS: Record<string, string> = { kpi: 'KPI', order: 'standing order' }
  const differ = $derived(report?.items.filter((item) => item.what !== 'same') ?? [])
  const same = $derived((report?.items.length ?? 0) - differ.length)
  const clashes = $derived(differ.some((item) => item.what === 'clash'))

  async function send(keep: boolean) {
    if (!file) return
    busy = true
    done = ''
    await attempt(
      async () => {
        const form = new FormData()
        form.append('file', file!)
        const asked = { body: form as never, bodySerializer: (given: unknown) => given as never }
        const found = keep
          ? await got(api.POST('/api/bundle', { ...asked, params: { query: { replace } } }))
          : await got(api.POST('/api/bundle/look', asked))
        report = keep ? null : found
        if (keep) {
          file = null
          const needs = found.needs.length ? ` It still needs ${found.needs.join(', ')}.` : ''
          done = `The bundle was read.${needs}`
        }
      },
      (said) => (failed = said),
    )
    busy = false
  }
</script>

<main class="page">
  <div class="top">
    <div>
      <h1>Bundle</h1>
      <p class="sentence">
        Scorecards, KPIs, yardsticks, palettes, marks and datasets as one file of plain JSON and Parquet, for
        another installation or for version control. Passwords and tokens stay here.
      </p>
    </div>
    <a class="act" href="#/data">Data</a>
  </div>
  {#if failed}<p class="note" role="alert">{failed}</p>{/if}
  {#if done}<p class="aside-note" role="status">{done}</p>{/if}
  <div class="two">
    <section class="sheet">
      <h2>Take out</h2>
      <p class="small soft">
        {chosen.length ? 'These, with all they rest on:' : 'Everything, or choose scorecards:'}
      </p>
      {#each cards as card (card.id)}
        <label><input type="checkbox" value={card.id} bind:group={chosen} /> {card.body.title}</label>
      {/each}
      <label class="apart"
        ><input type="checkbox" bind:checked={rows} /> with the rows of datasets, not their columns alone</label
      >
      <label><input type="checkbox" bind:checked={notes} /> with notes</label>
      <label
        ><input type="checkbox" bind:checked={editions} /> with editions, standing orders and holidays</label
      >
      <p><a class="act main" href={address} download>Save the bundle</a></p>
    </section>
    <section class="sheet">
      <h2>Read one</h2>
      <p class="small soft">First it is told what it would change.</p>
      <PickFile
        label={busy ? 'Reading…' : 'Choose a bundle'}
        name="Bundle to read"
        accept=".zip"
        disabled={busy}
        take={(files) => {
          file = files?.[0] ?? null
          void send(false)
        }}
      />
      {#if report}
        <p class="told"><b>{differ.length} differ, {same} are as they are here.</b></p>
        <ul>
          {#each differ as item (item.kind + item.id)}
            <li class:clash={item.what === 'clash'}>
              <b>{WHAT[item.what]}</b>
              <span
                >{KINDS[item.kind] ?? item.kind}
                {item.name}{#if item.said}<span class="small soft">{item.said}</span>{/if}</span
              >
            </li>
          {/each}
        </ul>
        {#each report.needs as need (need)}<p class="small soft">It will need {need}.</p>{/each}
        {#if clashes}
          <p class="note">
            It cannot be read as long as something clashes. Rename one of both, and look again.
          </p>
        {:else if differ.length}
          {#if differ.some((item) => item.what === 'changed')}
            <label><input type="checkbox" bind:checked={replace} /> replace what differs here too</label>
          {/if}
          <p><button class="act main" disabled={busy} onclick={() => send(true)}>Read it in</button></p>
        {/if}
      {/if}
    </section>
  </div>
</main>

<style>
  .two {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(min(420px, 100%), 1fr));
    gap: 12px;
    align-items: start;
  }
  section {
    padding: 14px 16px 16px;
  }
  label {
    display: flex;
    gap: 8px;
    align-items: center;
    padding: 3px 0;
  }
  .apart {
    margin: 8px 0;
    padding-top: 8px;
    border-top: 1px solid var(--rule);
  }
  .told {
    margin-top: 12px;
  }
  ul {
    max-height: 46vh;
    overflow: auto;
    margin: 6px 0 10px;
  }
  li {
    display: grid;
    grid-template-columns: 90px 1fr;
    padding: 4px 0;
    border-bottom: 1px solid var(--rule);
  }
  li b {
    font-weight: 600;
    color: var(--soft);
  }
  li.clash b {
    color: var(--short-word);
  }
  li span span {
    display: block;
  }
</style>
