<script lang="ts">
  import { known } from '../../api/me.svelte'
  import { dequal } from 'dequal'
  import { onDestroy } from 'svelte'
  import { push, router } from 'svelte-spa-router'
  import { Refusal, api, got, newest, seen, words } from '../../api/client'
  import type { Dataset, Kpi, Schemas } from '../../api/client'
  import type { Grain } from '../../api/periods'
  import { draftOf, dropDraft, keepDraft } from '../../parts/drafts.svelte'
  import Delete from '../../parts/Delete.svelte'
  import { PLAIN, handleOf, newComposite, newKpi } from './drafts'
  import FormulaPanel from './FormulaPanel.svelte'
  import KpiBeside from './KpiBeside.svelte'
  import KpiList from './KpiList.svelte'
  import Better from '../../parts/Better.svelte'
  import KpiSentence from './KpiSentence.svelte'
  import Results from './Results.svelte'

  type Body = Schemas['KpiBody']
  interface Draft {
    body: Body
    natureChosen: boolean
    unitChosen: boolean
  }
  let { params }: { params?: { id?: string } } = $props()

  let kpis = $state<Kpi[] | null>(null)
  let datasets = $state<Dataset[]>([])
  let assumptions = $state<Schemas['Assumption'][]>([])
  let body = $state<Body | null>(null)
  let kept = $state<Kpi | null>(null)
  let preview = $state<Schemas['Preview'] | null>(null)
  /** The last result that could be worked out; it stands, dimmed, while a formula is half typed. */
  let good = $state<Schemas['Preview'] | null>(null)
  let uses = $state<Schemas['KpiUse'][]>([])
  let by = $state<string | null>(null)
  let grain = $state<Grain>('month')
  let period = $state('complete')
  let past = $state(false)
  let failed = $state('')
  let unread = $state('') // why its readings are not shown; gone with the next ones
  let said = $state('')
  /** What is being changed, for what is typed and not saved; and the version that it was begun from. */
  let about = $state('')
  let begun = 0
  let again = $state(false) // what stands here was typed before and is not saved
  let natureChosen = false
  let unitChosen = $state(false)
  let turn = 0

  const dataset = $derived(datasets.find((known) => known.id === body?.dataset))
  const columns = $derived(dataset?.columns ?? [])
  const dirty = $derived(!!body && !dequal(body, kept?.body))
  const others = $derived(kpis?.filter((kpi) => kpi.id !== kept?.id) ?? [])
  const creating = $derived(!params?.id && new URLSearchParams(router.querystring ?? '').has('new'))

  async function load() {
    try {
      ;[kpis, datasets, assumptions] = await Promise.all([
        got(api.GET('/api/kpis')),
        got(api.GET('/api/datasets')),
        got(api.GET('/api/assumptions')),
      ])
      failed = ''
    } catch (error) {
      failed = words(error)
    }
  }
  const loaded = load()
  $effect(() => {
    const id = params?.id
    const query = new URLSearchParams(router.querystring ?? '').get('new')
    const mine = ++turn
    said = ''
    loaded.then(() => {
      if (mine !== turn || !kpis) return
      if (id) open(id)
      else if (query !== null) draft(query)
      else if (kpis[0]) open(kpis[0].id)
      else draft('')
    })
  })

  function open(id: string) {
    kept = kpis?.find((kpi) => kpi.id === id) ?? null
    about = `kpi:${id}`
    body = kept ? begin(kept.version, $state.snapshot(kept.body) as Body) : null
    by = null
    period = 'complete'
    past = false
    good = null
    uses = []
    failed = kept ? '' : 'There is no such KPI. It may have been deleted.'
    if (!kept) return
    got(api.GET('/api/kpis/{key}/uses', { params: { path: { key: id } } })).then(
      (list) => (uses = list),
      () => (uses = []),
    )
    look()
  }
  /** What was typed here before and not saved, else what is kept. */
  function begin(version: number, keeps: Body): Body {
    const draft = draftOf<Draft>(about)
    if (draft) ({ natureChosen, unitChosen } = draft.value)
    again = !!draft
    begun = draft?.version ?? version
    return draft?.value.body ?? keeps
  }
  function drop() {
    dropDraft(about)
    if (kept) open(kept.id)
    else draft(new URLSearchParams(router.querystring ?? '').get('new') ?? '')
  }
  function draft(from: string) {
    kept = null
    good = null
    natureChosen = false
    unitChosen = false
    const chosen = datasets.find((known) => known.id === from) ?? datasets[0]
    if (!chosen) return
    about = from === 'composite' ? 'kpi:new composite' : `kpi:new of ${chosen.id}`
    body = begin(0, from === 'composite' ? newComposite(chosen, kpis ?? []) : newKpi(chosen, kpis ?? []))
    uses = []
    look()
  }
  const look = newest(async () => {
    if (!body) return
    try {
      preview = await got(
        api.POST('/api/kpis/preview', {
          body: { body: $state.snapshot(body) as Body, key: kept?.id ?? null, by, grain, period },
        }),
      )
      unread = ''
      if (!preview.problem) good = preview.note ? null : preview
      // A new KPI's nature and unit follow its formula until somebody says otherwise.
      if (!kept && body && !body.composite && !preview.problem && !preview.note) {
        const { nature, unit } = body
        if (!natureChosen) body = { ...body, nature: preview.nature }
        if (!unitChosen) body = { ...body, unit: preview.unit ?? PLAIN }
        // What is warned of and shown is of what stands there now.
        if (nature !== body.nature || !dequal($state.snapshot(unit), $state.snapshot(body.unit))) look()
      }
      return preview.waiting
    } catch (error) {
      unread = words(error)
    }
  })

  onDestroy(look.stop)

  function change(edit: Partial<Body>) {
    if (!body) return
    if (edit.nature) natureChosen = true
    if (edit.unit) unitChosen = true
    body = { ...body, ...edit }
    if (dirty || !kept) keepDraft(about, begun, { body: $state.snapshot(body), natureChosen, unitChosen })
    else dropDraft(about)
    said = failed = ''
    again = false
    look()
  }
  function rename(name: string) {
    change(kept ? { name } : { name, handle: handleOf(name, [...(kpis ?? []), ...assumptions]) })
  }

  async function save() {
    if (!body) return
    try {
      const content = $state.snapshot(body) as Body
      if (kept) {
        kept = await got(
          api.PUT('/api/kpis/{key}', {
            params: { path: { key: kept.id }, header: seen(begun) },
            body: content,
          }),
        )
        kpis = kpis?.map((kpi) => (kpi.id === kept?.id ? kept : kpi)) ?? null
        body = $state.snapshot(kept.body) as Body
        begun = kept.version
        dropDraft(about)
        said = 'Saved. Every instrument that shows it follows.'
      } else {
        const made = await got(api.POST('/api/kpis', { body: content }))
        dropDraft(about)
        await load()
        await push(`/kpis/${made.id}`)
      }
      failed = ''
      again = false
    } catch (error) {
      failed = words(error)
      if (error instanceof Refusal && error.problem.status === 412) {
        const mine = $state.snapshot(body) as Body
        await load()
        kept = kpis?.find((kpi) => kpi.id === kept?.id) ?? null
        body = mine
        begun = kept?.version ?? 0
        failed =
          'This KPI was changed elsewhere meanwhile. Your version is still in the fields: save once more to keep it, or drop the changes to take the newer.'
      }
    }
  }
  async function remove() {
    if (!kept) return
    try {
      await got(
        api.DELETE('/api/kpis/{key}', { params: { path: { key: kept.id }, header: seen(kept.version) } }),
      )
      await load()
      await push('/kpis')
    } catch (error) {
      failed = words(error)
    }
  }
</script>

<main class="page">
  {#if kpis && !datasets.length}
    <h1>KPIs</h1>
    <p class="sentence">
      A KPI is computed from rows. Upload a table under <a class="link" href="#/data">Data</a> first, or have
      KPIs proposed <a class="link" href="#/rows">from rows</a>.
    </p>
  {:else}
    <div class="top">
      <div class="grow">
        {#if body}
          <h1 class="sr-only">{body.name}</h1>
          <input
            class="page-title"
            aria-label="Name of the KPI"
            value={body.name}
            maxlength="120"
            oninput={(event) => rename(event.currentTarget.value)}
          />
          <KpiSentence
            {body}
            {datasets}
            {change}
            why={!kept && !unitChosen && preview?.unit ? preview.unit_why : ''}
          />
          {#if body.direction === 'open'}
            <p class="aside-note">
              <Better name={body.name} say={(direction) => change({ direction })} /> Nothing of it is graded until
              then.
            </p>
          {/if}
        {:else}
          <h1>KPIs</h1>
        {/if}
      </div>
      {#if body && (dirty || !kept)}
        <button class="act main" disabled={!!preview?.problem} onclick={save}
          >{kept ? 'Save changes' : 'Save KPI'}</button
        >
        {#if kept || draftOf(about)}<button class="act" onclick={drop}
            >{kept ? 'Drop changes' : 'Begin anew'}</button
          >{/if}
      {:else if kept}
        <Delete name={kept.body.name} {remove} />
      {/if}
      {#if kept && known()?.signs_in}<a class="act" href="#/people/kpi/{kept.id}">Who reads it</a>{/if}
      {#if kept}<a class="act" href="#/watches/new?kpi={kept.id}">Watch</a>
        <a class="act" href="#/kpis/{kept.id}/signals">Signals</a>{/if}
      {#if kept}<button class="act" aria-pressed={past} onclick={() => (past = !past)}>History</button>{/if}
      {#if !creating}
        {#if (kpis?.length ?? 0) > 1}<button class="act" onclick={() => push('/kpis?new=composite')}
            >New composite</button
          >{/if}
        <a class="act" class:main={!dirty} href="#/kpis?new">New KPI</a>
      {/if}
    </div>
    {#if failed || unread}<p class="note gap" role="alert">{failed || unread}</p>{/if}
    {#if said}<p class="aside-note gap" role="status">{said}</p>{/if}
    {#if again}<p class="aside-note gap" role="status">
        What you changed here earlier is back. It is not saved yet{kept
          ? '; Drop changes goes back to what is'
          : ''}.
      </p>{/if}

    <div class="three">
      <KpiList kpis={kpis ?? []} chosen={kept?.id} />

      {#if body}
        <div class="middle">
          <FormulaPanel {body} {columns} {others} {assumptions} {preview} {change} />

          {#if preview?.note}
            <p class="note">{preview.note}</p>
          {:else if good}
            <div class:stale={preview?.problem}>
              <Results
                {good}
                {columns}
                {grain}
                ask={(edit) => {
                  ;({ grain, period, by } = { grain, period, by, ...edit })
                  look()
                }}
              />
            </div>
          {/if}
        </div>

        <KpiBeside
          {kept}
          {uses}
          {past}
          workings={good?.workings}
          stale={!!preview?.problem}
          back={(earlier) => {
            change(earlier)
            past = false
            said = 'This is the earlier form. Save it to have it hold again.'
          }}
          close={() => (past = false)}
        />
      {/if}
    </div>
  {/if}
</main>

<style>
  .three {
    display: grid;
    grid-template-columns: 270px minmax(0, 1fr) 290px;
    gap: 14px;
    align-items: start;
  }
  .stale {
    opacity: 0.45;
  }
  .middle {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 12px;
    min-width: 0;
  }
  @media (max-width: 1000px) {
    .three {
      grid-template-columns: minmax(0, 1fr);
    }
    .top {
      flex-wrap: wrap;
    }
  }
</style>
