<script lang="ts">
  import { push, router } from 'svelte-spa-router'
  import {
    Refusal,
    api,
    got,
    newest,
    seen,
    words,
    type Dataset,
    type Kpi,
    type Schemas,
  } from '../../api/client'
  import { GRAINS, type Grain } from '../../api/periods'
  import Bullet from '../../faces/Bullet.svelte'
  import { LOOK } from '../../faces/looks'
  import History from '../../faces/History.svelte'
  import Account from '../../parts/Account.svelte'
  import Choices from '../../parts/Choices.svelte'
  import Delete from '../../parts/Delete.svelte'
  import Sign from '../../parts/Sign.svelte'
  import Slot from '../../parts/Slot.svelte'
  import Spark from '../../parts/Spark.svelte'
  import Uses from '../../parts/Uses.svelte'
  import Composite from './Composite.svelte'
  import Formula from './Formula.svelte'
  import KpiSentence from './KpiSentence.svelte'
  import Revisions from '../../parts/Revisions.svelte'

  type Body = Schemas['KpiBody']
  let { params }: { params?: { id?: string } } = $props()

  let kpis = $state<Kpi[] | null>(null)
  let datasets = $state<Dataset[]>([])
  let body = $state<Body | null>(null)
  let kept = $state<Kpi | null>(null)
  let preview = $state<Schemas['Preview'] | null>(null)
  /** The last result that could be worked out; it stands, dimmed, while a formula is half typed. */
  let good = $state<Schemas['Preview'] | null>(null)
  let uses = $state<Schemas['KpiUse'][]>([])
  let by = $state<string | null>(null)
  let grain = $state<Grain>('month')
  let period = $state('complete')
  let glances = $state<Record<string, Schemas['Glance']>>({})
  let past = $state(false)
  /** The members conditions may name; those of the last formula that could be read. */
  let texts = $state<Record<string, string[]>>({})
  let failed = $state('')
  let said = $state('')
  let wanted = $state('')
  let editor = $state<ReturnType<typeof Formula> | null>(null)
  let natureChosen = false
  let turn = 0

  const AGGREGATES: [string, string][] = [
    ['sum', 'the total'],
    ['mean', 'the mean of the rows'],
    ['count', 'how many rows'],
    ['distinct', 'how many different ones'],
    ['where', 'only the rows that …'],
  ]
  const FUNCTIONS: [string, string][] = [
    ['min', 'the smallest value'],
    ['max', 'the largest value'],
    ['median', 'the middle value'],
    ['stdev', 'the standard deviation'],
    ['prior', 'n periods back: prior(sum(fare), 1)'],
    ['year_ago', 'the same period a year back: year_ago(sum(fare))'],
    ['to_date', 'the year so far: to_date(sum(fare))'],
    ['rolling', 'the last n periods: rolling(sum(fare), 12)'],
    ['share', 'of that of all members: share(sum(fare))'],
    ['if', 'if(count() > 30, mean(score), 0)'],
    ['least', 'the smaller of two or more figures'],
    ['greatest', 'the larger of two or more figures'],
    ['abs', 'the size, without its sign'],
    ['round', 'round(mean(score), 1)'],
  ]
  const found = $derived(
    kpis?.filter((kpi) => kpi.body.name.toLocaleLowerCase().includes(wanted.toLocaleLowerCase())) ?? [],
  )
  const dataset = $derived(datasets.find((known) => known.id === body?.dataset))
  const columns = $derived(dataset?.columns ?? [])
  const dirty = $derived(!!body && JSON.stringify(body) !== JSON.stringify(kept?.body))
  const creating = $derived(!params?.id && new URLSearchParams(router.querystring ?? '').has('new'))

  async function load() {
    try {
      ;[kpis, datasets] = await Promise.all([got(api.GET('/api/kpis')), got(api.GET('/api/datasets'))])
      failed = ''
    } catch (error) {
      failed = words(error)
    }
  }
  const loaded = load()
  async function glance() {
    try {
      const found = await got(api.GET('/api/kpis/glances'))
      glances = Object.fromEntries(found.map((one) => [one.id, one]))
      if (found.some((one) => one.waiting)) setTimeout(glance, 1500)
    } catch {
      glances = {} // the list stands without its histories
    }
  }
  glance()

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
    body = kept ? ($state.snapshot(kept.body) as Body) : null
    by = null
    period = 'complete'
    past = false
    good = null
    uses = []
    if (!kept) return void (failed = 'There is no such KPI. It may have been deleted.')
    got(api.GET('/api/kpis/{key}/uses', { params: { path: { key: id } } })).then(
      (list) => (uses = list),
      () => (uses = []),
    )
    look()
  }
  function draft(from: string) {
    kept = null
    good = null
    natureChosen = false
    const chosen = datasets.find((known) => known.id === from) ?? datasets[0]
    if (!chosen) return
    const measure = chosen.columns.find((column) => column.role === 'measure')
    body = {
      handle: freeHandle('new_kpi'),
      name: 'New KPI',
      description: '',
      owner: '',
      dataset: chosen.id,
      formula: measure ? `sum(${measure.name})` : 'count()',
      unit: { kind: 'number', decimals: 0, currency: 'GBP', text: '', compact: false, sign: false },
      direction: 'higher',
      nature: 'flow',
      pro_rating: 'days',
      graded_as: 'exact',
    }
    if (from === 'composite') body = { ...body, ...rolledUp() }
    uses = []
    look()
  }
  /** A composite to begin with: the first two KPIs, by their marks. */
  function rolledUp(): Partial<Body> {
    const parts = (kpis ?? []).filter((kpi) => !kpi.body.composite).slice(0, 2)
    return {
      handle: freeHandle('new_composite'),
      name: 'New composite',
      dataset: parts[0]?.body.dataset ?? datasets[0]!.id,
      nature: 'rate',
      unit: { kind: 'percent', decimals: 0, currency: 'GBP', text: '', compact: false, sign: false },
      composite: {
        by: 'attainment',
        low: 0,
        high: 1.2,
        parts: parts.map((kpi) => ({ kpi: kpi.id, weight: 1, yardstick: null, mark: 'target' })),
      },
    }
  }
  const freeHandle = (wish: string) => {
    const taken = new Set(kpis?.map((kpi) => kpi.body.handle))
    let handle = wish
    for (let n = 2; taken.has(handle); n++) handle = `${wish}_${n}`
    return handle
  }

  const look = newest(async () => {
    if (!body) return
    try {
      preview = await got(
        api.POST('/api/kpis/preview', {
          body: { body: $state.snapshot(body) as Body, key: kept?.id ?? null, by, grain, period },
        }),
      )
      failed = ''
      if (!preview.problem) good = preview.note ? null : preview
      if (Object.keys(preview.texts ?? {}).length) texts = preview.texts ?? {}
      // A live source has not answered yet: asked again, it has.
      if (preview.waiting) setTimeout(look, 1500)
      // A new KPI's nature follows its formula until somebody says otherwise.
      if (
        !kept &&
        !natureChosen &&
        body &&
        !preview.problem &&
        !preview.note &&
        body.nature !== preview.nature
      )
        body = { ...body, nature: preview.nature }
    } catch (error) {
      failed = words(error)
    }
  })

  function change(edit: Partial<Body>) {
    if (!body) return
    if (edit.nature) natureChosen = true
    body = { ...body, ...edit }
    said = ''
    look()
  }
  function rename(name: string) {
    const plain = name
      .normalize('NFKC')
      .toLowerCase()
      .replace(/[^\p{L}\p{N}]+/gu, '_')
      .replace(/^_+|_+$/g, '')
      .replace(/^(\d)/, 'k_$1')
    change(kept ? { name } : { name, handle: freeHandle(plain.slice(0, 50) || 'new_kpi') })
  }

  async function save() {
    if (!body) return
    try {
      const content = $state.snapshot(body) as Body
      if (kept) {
        kept = await got(
          api.PUT('/api/kpis/{key}', {
            params: { path: { key: kept.id }, header: seen(kept.version) },
            body: content,
          }),
        )
        kpis = kpis?.map((kpi) => (kpi.id === kept?.id ? kept : kpi)) ?? null
        body = $state.snapshot(kept.body) as Body
        said = 'Saved. Every instrument that shows it follows.'
        glance()
      } else {
        const made = await got(api.POST('/api/kpis', { body: content }))
        await Promise.all([load(), glance()])
        await push(`/kpis/${made.id}`)
      }
      failed = ''
    } catch (error) {
      failed = words(error)
      if (error instanceof Refusal && error.problem.status === 412) {
        const mine = $state.snapshot(body) as Body
        await load()
        kept = kpis?.find((kpi) => kpi.id === kept?.id) ?? null
        body = mine
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
      A KPI is computed from rows. Upload a table under <a class="link" href="#/data">Data</a> first.
    </p>
  {:else}
    <div class="top">
      <div class="grow">
        {#if body}
          <input
            class="page-title"
            aria-label="Name of the KPI"
            value={body.name}
            maxlength="120"
            oninput={(event) => rename(event.currentTarget.value)}
          />
          <KpiSentence {body} {datasets} {change} />
        {:else}
          <h1>KPIs</h1>
        {/if}
      </div>
      {#if body && (dirty || !kept)}
        <button class="act main" disabled={!!preview?.problem} onclick={save}
          >{kept ? 'Save changes' : 'Save KPI'}</button
        >
        {#if kept}<button class="act" onclick={() => kept && open(kept.id)}>Drop changes</button>{/if}
      {:else if kept}
        <Delete name={kept.body.name} {remove} />
      {/if}
      {#if kept}<button class="act" aria-pressed={past} onclick={() => (past = !past)}>History</button>{/if}
      {#if !creating}
        {#if (kpis?.length ?? 0) > 1}<button class="act" onclick={() => push('/kpis?new=composite')}
            >New composite</button
          >{/if}
        <a class="act" class:main={!dirty} href="#/kpis?new">New KPI</a>
      {/if}
    </div>
    {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}
    {#if said}<p class="aside-note gap" role="status">{said}</p>{/if}

    <div class="three">
      <nav class="sheet list" aria-label="KPIs">
        {#if (kpis?.length ?? 0) > 8}<input
            class="type-in"
            data-find
            placeholder="Find  /"
            aria-label="Find a KPI"
            bind:value={wanted}
          />{/if}
        {#each found as kpi (kpi.id)}
          <a href="#/kpis/{kpi.id}" aria-current={kept?.id === kpi.id ? 'true' : undefined}>
            <span class="name">{kpi.body.name}</span>
            {#if glances[kpi.id]}
              {@const glance = glances[kpi.id]!}
              <Spark line={glance.line} target={glance.target} state={glance.state} />
              <span class="now" title={glance.problem || glance.period}
                >{glance.waiting
                  ? '…'
                  : glance.problem
                    ? '!'
                    : glance.shown === 'no reading'
                      ? '–'
                      : glance.shown}</span
              >
              <Sign state={glance.state} />
            {/if}
          </a>
        {/each}
      </nav>

      {#if body}
        <div class="middle">
          <section class="sheet pad">
            <div class="line">
              <h3>{body.composite ? 'Composite' : 'Formula'}</h3>
              <span class="small soft"
                >handle <input
                  class="handle"
                  aria-label="Handle"
                  value={body.handle}
                  maxlength="60"
                  size={Math.max(6, body.handle.length)}
                  onchange={(event) => change({ handle: event.currentTarget.value.trim() })}
                /></span
              >
            </div>
            {#if body.composite}
              <Composite
                composite={body.composite}
                kpis={(kpis ?? []).filter((kpi) => kpi.id !== kept?.id)}
                change={(composite) => change({ composite })}
              />
              {#if preview?.problem}<p class="wrong small" role="alert">{preview.problem.message}</p>{/if}
            {:else}
              <Formula
                bind:this={editor}
                text={body.formula}
                columns={columns.map((column) => column.name)}
                members={texts}
                handles={(kpis ?? [])
                  .filter((kpi) => kpi.id !== kept?.id)
                  .map((kpi) => ({ handle: kpi.body.handle, name: kpi.body.name }))}
                functions={[...AGGREGATES, ...FUNCTIONS]}
                problem={preview?.problem ?? null}
                type={(formula) => change({ formula })}
              />
              <div class="insert small">
                <span class="soft">put in</span>
                {#each ['sum', 'mean', 'count', 'distinct'] as name (name)}
                  <button class="act quiet" onclick={() => editor?.insert(`${name}()`)}>{name}</button>
                {/each}
                <button class="act quiet" onclick={() => editor?.insert(' where ')}>where</button>
                <Slot text="more" label="Functions" width={330}>
                  {#snippet children(close)}
                    <Choices
                      choices={FUNCTIONS.map(([key, note]) => ({ key, name: key, note }))}
                      choose={(name) => {
                        close()
                        editor?.insert(`${name}()`)
                      }}
                    />
                  {/snippet}
                </Slot>
                <Slot text="a column" label="A column" width={280}>
                  {#snippet children(close)}
                    <Choices
                      choices={columns.map((column) => ({
                        key: column.name,
                        name: column.name,
                        note: column.label === column.name ? column.role : `${column.label}, ${column.role}`,
                      }))}
                      choose={(name) => {
                        close()
                        editor?.insert(name)
                      }}
                    />
                  {/snippet}
                </Slot>
                {#if (kpis?.length ?? 0) > (kept ? 1 : 0)}
                  <Slot text="another KPI" label="Another KPI" width={280}>
                    {#snippet children(close)}
                      <Choices
                        choices={(kpis ?? [])
                          .filter((kpi) => kpi.id !== kept?.id)
                          .map((kpi) => ({
                            key: kpi.body.handle,
                            name: kpi.body.name,
                            note: `@${kpi.body.handle}`,
                          }))}
                        choose={(handle) => {
                          close()
                          editor?.insert(`@${handle}`)
                        }}
                      />
                    {/snippet}
                  </Slot>
                {/if}
              </div>
            {/if}
            {#if preview?.reads_as}
              <p class="note reads"><b>Reads as:</b> {preview.reads_as}</p>
              {#each preview.warnings as warning (warning.message + warning.start)}
                <p class="aside-note reads">
                  {warning.message} <code>{body.formula.slice(warning.start, warning.end)}</code>
                </p>
              {/each}
            {/if}
          </section>

          {#if preview?.note}
            <p class="note">{preview.note}</p>
          {:else if good}
            <div class="results" class:stale={preview?.problem}>
              <section class="sheet pad">
                <div class="line">
                  <h3>
                    Result by <Slot text={grain} label="Grain">
                      {#snippet children(close)}
                        <Choices
                          choices={GRAINS.map((known) => ({ key: known, name: known }))}
                          chosen={grain}
                          choose={(known) => {
                            grain = known as Grain
                            period = 'complete'
                            look()
                            close()
                          }}
                        />
                      {/snippet}
                    </Slot>
                  </h3>
                  <span class="small soft">{good.graded}</span>
                </div>
                {#if good.history}<History
                    picture={good.history}
                    chosen={good.period}
                    choose={(key) => {
                      period = key
                      look()
                    }}
                  />{/if}
              </section>
              {#if good.by_member}
                <section class="sheet pad">
                  <div class="line">
                    <h3>
                      By <Slot text={good.by_label.toLowerCase()} label="Segment">
                        {#snippet children(close)}
                          <Choices
                            choices={columns
                              .filter((column) => column.role === 'segment')
                              .map((column) => ({ key: column.name, name: column.label }))}
                            chosen={good?.by}
                            choose={(name) => {
                              by = name
                              look()
                              close()
                            }}
                          />
                        {/snippet}
                      </Slot>, {good.period_label}
                    </h3>
                    <span class="small soft">{good.members.length} members</span>
                  </div>
                  <div class="members"><Bullet picture={good.by_member} look={LOOK} /></div>
                </section>
              {/if}
            </div>
          {/if}
        </div>

        <aside class="right">
          {#if past && kept}<Revisions
              kind="kpis"
              id={kept.id}
              version={kept.version}
              detail={(form: Body) => form.formula}
              back={(earlier: Body) => {
                change($state.snapshot(earlier) as Body)
                past = false
                said = 'This is the earlier form. Save it to have it hold again.'
              }}
              close={() => (past = false)}
            />{/if}
          {#if good?.workings}
            <section class="sheet pad" class:stale={preview?.problem}>
              <div class="line">
                <h3>Workings</h3>
                <span class="small soft">{good.workings.subtitle}</span>
              </div>
              <Account found={good.workings} formula={false} />
            </section>
          {/if}
          {#if kept}
            <section class="sheet pad">
              <Uses {uses} />
              <p class="small next">
                <a class="link" href="#/marks/{kept.id}">Its marks</a> say what it is measured against.
              </p>
            </section>
          {/if}
        </aside>
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
  .list {
    overflow: hidden;
  }
  .list .type-in {
    margin: 6px;
    width: calc(100% - 12px);
  }
  .list a {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 58px auto 16px;
    gap: 6px;
    align-items: center;
    padding: 5px 8px 5px 10px;
    min-height: 38px;
    border-bottom: 1px solid var(--rule);
    border-left: 3px solid transparent;
    font-weight: 600;
    font-size: 13px;
    line-height: 1.3;
  }
  .now {
    min-width: 46px;
    text-align: right;
    white-space: nowrap;
  }
  .members {
    max-height: 330px;
    overflow-y: auto;
  }
  .list a:hover {
    color: var(--accent);
  }
  .list a[aria-current] {
    background: var(--accent-tint);
    border-left-color: var(--accent);
  }
  .stale {
    opacity: 0.45;
  }
  .results,
  .middle,
  .right {
    display: grid;
    gap: 12px;
    min-width: 0;
  }
  .pad {
    padding: 12px 14px;
  }
  .line {
    display: flex;
    justify-content: space-between;
    align-items: baseline;
    margin-bottom: 8px;
  }
  .handle {
    field-sizing: content;
    border: none;
    border-bottom: 2px solid var(--accent);
    background: transparent;
    padding: 0 2px;
    font-family: ui-monospace, monospace;
    font-size: 12.5px;
  }
  .insert {
    display: flex;
    align-items: center;
    flex-wrap: wrap;
    gap: 2px 8px;
    margin-top: 6px;
  }
  .reads {
    margin-top: 8px;
  }
  .reads code {
    background: none;
    padding: 0;
  }
  .next {
    margin-top: 8px;
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
