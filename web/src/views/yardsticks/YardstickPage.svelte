<script lang="ts">
  import { markNames } from '../../api/marknames.svelte'
  import { untrack } from 'svelte'
  import { push } from 'svelte-spa-router'
  import {
    Refusal,
    api,
    inTurn,
    got,
    seen,
    words,
    type Dataset,
    type Kpi,
    type Schemas,
    type Strip,
    type Yardstick,
    type YardstickBody,
  } from '../../api/client'
  import { History } from '../../parts/history.svelte'
  import Choices from '../../parts/Choices.svelte'
  import Delete from '../../parts/Delete.svelte'
  import Slot from '../../parts/Slot.svelte'
  import Revisions from '../../parts/Revisions.svelte'
  import Deal from './Deal.svelte'
  import InWords from './InWords.svelte'
  import PaletteEditor from './PaletteEditor.svelte'
  import Rules from './Rules.svelte'
  import YardstickList from './YardstickList.svelte'
  import YardstickEditor from '../../parts/YardstickEditor.svelte'

  let { params }: { params?: { id?: string } } = $props()
  let yardsticks = $state<Yardstick[] | null>(null)
  let kpis = $state<Kpi[]>([])
  let datasets = $state<Dataset[]>([])
  let uses = $state<Schemas['KpiUse'][]>([])
  let failed = $state('')
  let by = $state<string | null>(null)
  let strip = $state<Strip | null>(null)
  const steps = new History<YardstickBody>((step) => put(step))
  let from = $state<'rules' | 'deal' | null>(null)
  let history = $state(false)
  /** The form it had when it was opened here, and the one that is being tried. */
  let opened = $state<YardstickBody | null>(null)
  let tried = $state<YardstickBody | null>(null)

  const chosen = $derived(
    yardsticks?.find((known) => known.id === params?.id) ?? (params?.id ? undefined : yardsticks?.[0]),
  )
  const chosenId = $derived(chosen?.id)
  const kpi = $derived(kpis.find((known) => known.id === chosen?.body.kpi))
  const segments = $derived(
    datasets
      .find((known) => known.id === kpi?.body.dataset)
      ?.columns.filter((column) => column.role === 'segment') ?? [],
  )
  const segment = $derived(segments.find((column) => column.name === by))
  const marks = $derived([
    ...new Set([
      'target',
      ...(chosen?.body.cuts.map((cut) => cut.mark).filter((mark) => mark != null) ?? []),
    ]),
  ])

  async function load() {
    try {
      ;[yardsticks, kpis, datasets] = await Promise.all([
        got(api.GET('/api/yardsticks')),
        got(api.GET('/api/kpis')),
        got(api.GET('/api/datasets')),
      ])
    } catch (error) {
      failed = words(error)
    }
  }
  load()
  $effect(() => {
    const id = chosenId
    by = null
    from = null
    history = false
    tried = null
    opened = untrack(() => (chosen ? ($state.snapshot(chosen.body) as YardstickBody) : null))
    steps.clear()
    if (id)
      got(api.GET('/api/yardsticks/{key}/uses', { params: { path: { key: id } } })).then(
        (found) => (uses = found),
        () => (uses = []),
      )
  })

  /** Resolves to what stood there before. One after another, so that quick changes do not refuse each other. */
  const put = inTurn(async (body: YardstickBody): Promise<YardstickBody | null> => {
    if (!chosen) return null
    const before = $state.snapshot(chosen.body) as YardstickBody
    try {
      const kept = await got(
        api.PUT('/api/yardsticks/{key}', {
          params: { path: { key: chosen.id }, header: seen(chosen.version) },
          body,
        }),
      )
      yardsticks = yardsticks?.map((known) => (known.id === kept.id ? kept : known)) ?? null
      failed = ''
      return before
    } catch (error) {
      const stale = error instanceof Refusal && error.problem.status === 412
      if (stale) await load()
      failed = stale
        ? 'This yardstick was changed elsewhere meanwhile. It was loaded again; make your change once more.'
        : words(error)
      return null
    }
  })
  async function keep(body: YardstickBody) {
    const before = await put(body)
    if (before) steps.note(before)
  }
  async function create(kpiId: string) {
    try {
      const name = `${kpis.find((known) => known.id === kpiId)?.body.name ?? 'New'} yardstick`
      const body = await got(api.POST('/api/yardsticks/propose', { body: { kpi: kpiId, by: null, name } }))
      const made = await got(api.POST('/api/yardsticks', { body }))
      await load()
      await push(`/yardsticks/${made.id}`)
    } catch (error) {
      failed = words(error)
    }
  }
  async function remove() {
    if (!chosen) return
    try {
      await got(
        api.DELETE('/api/yardsticks/{key}', {
          params: { path: { key: chosen.id }, header: seen(chosen.version) },
        }),
      )
      await load()
      await push('/yardsticks')
    } catch (error) {
      failed = words(error)
    }
  }
  /** The shared yardstick goes back to what it was; the changes go on in a copy. */
  async function asCopy() {
    if (!chosen || !opened) return
    const body = $state.snapshot(chosen.body) as YardstickBody
    if (!(await put($state.snapshot(opened) as YardstickBody))) return
    try {
      const name = `${body.name.slice(0, 100)} (copy)`
      const made = await got(api.POST('/api/yardsticks', { body: { ...body, name } }))
      await load()
      await push(`/yardsticks/${made.id}`)
    } catch (error) {
      failed = words(error)
    }
  }
  const open = (what: 'rules' | 'deal') => (from = from === what ? null : what)
  function use({ bands, cuts }: Schemas['RulesOut']) {
    if (chosen)
      keep({ ...($state.snapshot(chosen.body) as YardstickBody), bands: bands ?? [], cuts: cuts ?? [] })
    from = null
  }
</script>

<svelte:window onkeydown={steps.keys} />

<main class="page">
  <div class="top">
    <div class="grow">
      {#if chosen}
        <h1 class="sr-only">{chosen.body.name}</h1>
        <input
          class="page-title"
          aria-label="Name of the yardstick"
          value={chosen.body.name}
          maxlength="120"
          onchange={(event) =>
            event.currentTarget.value.trim() &&
            chosen &&
            keep({
              ...($state.snapshot(chosen.body) as YardstickBody),
              name: event.currentTarget.value.trim(),
            })}
        />
        <p class="sentence">
          Tried on <Slot text={kpi?.body.name ?? 'a KPI'} label="KPI">
            {#snippet children(close)}
              <Choices
                choices={kpis.map((known) => ({ key: known.id, name: known.body.name }))}
                chosen={chosen?.body.kpi}
                choose={(id) => {
                  if (chosen) keep({ ...($state.snapshot(chosen.body) as YardstickBody), kpi: id })
                  close()
                }}
              />
            {/snippet}
          </Slot> for <Slot
            text={segment ? `each ${segment.label.toLowerCase()}` : 'all rows together'}
            label="Scope"
          >
            {#snippet children(close)}
              <Choices
                choices={[
                  { key: '', name: 'all rows together' },
                  ...segments.map((column) => ({
                    key: column.name,
                    name: `each ${column.label.toLowerCase()}`,
                  })),
                ]}
                chosen={by ?? ''}
                choose={(name) => {
                  by = name || null
                  close()
                }}
              />
            {/snippet}
          </Slot>{#if steps.canUndo || steps.canRedo}
            · <button class="slot" disabled={!steps.canUndo} onclick={() => steps.undo()}>undo</button>
            <button class="slot" disabled={!steps.canRedo} onclick={() => steps.redo()}>redo</button>{/if}
        </p>
      {:else}
        <h1>Yardsticks</h1>
        {#if params?.id && yardsticks}<p class="sentence">
            There is no such yardstick. It may have been deleted.
          </p>{/if}
      {/if}
    </div>
    {#if chosen}
      <Delete name={chosen.body.name} {remove} />
      <button class="act" aria-pressed={history} onclick={() => (history = !history)}>History</button>
      {#if kpi}
        <button class="act" aria-pressed={from === 'deal'} onclick={() => open('deal')}>Deal out bands</button
        >
        <button class="act" aria-pressed={from === 'rules'} onclick={() => open('rules')}>Paste rules</button>
      {/if}
    {/if}
    {#if kpis.length}
      <span class="new">
        <Slot text="New yardstick" label="For which KPI">
          {#snippet children(close)}
            <p class="small soft pad-s">For which KPI? Bands and cuts are proposed from it.</p>
            <Choices
              choices={kpis.map((known) => ({ key: known.id, name: known.body.name }))}
              choose={(id) => {
                close()
                create(id)
              }}
            />
          {/snippet}
        </Slot>
      </span>
    {/if}
  </div>
  {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}
  {#if from === 'rules' && kpi}
    <Rules kpi={kpi.id} {use} close={() => (from = null)} />
  {:else if from === 'deal' && kpi}
    <Deal kpi={kpi.id} {by} axis={strip?.axis} {use} close={() => (from = null)} />
  {/if}

  <div class="three">
    <YardstickList {yardsticks} chosen={chosen?.id} />
    {#if chosen && kpi}
      {#key chosen.id}
        <section class="sheet pad">
          <YardstickEditor
            bind:strip
            body={chosen.body}
            saved={chosen.id}
            kpi={kpi.id}
            {by}
            scope={{ period: 'complete', grain: 'month', members: {}, assume: {} }}
            {marks}
            markNames={markNames(...marks)}
            draft={(body) => (tried = body)}
            keep={(body) => keep(body)}
          />
        </section>
      {/key}
      <aside class="sheet pad">
        <InWords {chosen} {strip} {uses} {opened} {tried} {asCopy} />
        <PaletteEditor body={chosen.body} keep={(body) => keep(body)} />
        {#if history}
          <Revisions
            kind="yardsticks"
            id={chosen.id}
            version={chosen.version}
            detail={(form: YardstickBody) =>
              form.cuts
                .map((cut) =>
                  cut.mark
                    ? `${cut.factor === 1 ? '' : `${cut.factor} × `}${cut.mark}${cut.offset ? ` ${cut.offset > 0 ? '+' : '−'} ${Math.abs(cut.offset)}` : ''}`
                    : String(cut.offset),
                )
                .join(' | ')}
            back={(earlier: YardstickBody) => {
              keep($state.snapshot(earlier) as YardstickBody)
              history = false
            }}
            close={() => (history = false)}
          />
        {/if}
      </aside>
    {:else if chosen}
      <p class="sheet pad">Choose a KPI above to try this yardstick on.</p>
    {/if}
  </div>
</main>

<style>
  .sentence button.slot:disabled {
    color: var(--soft);
    border-color: var(--rule);
  }
  .new {
    padding-top: 3px;
  }
  .three {
    display: grid;
    grid-template-columns: 220px minmax(0, 1fr) 250px;
    gap: 14px;
    align-items: start;
  }
  .pad {
    padding: 14px 16px;
  }
  .pad-s {
    padding: 4px 8px;
  }
  @media (max-width: 1000px) {
    .three {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
