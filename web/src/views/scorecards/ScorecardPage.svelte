<script lang="ts">
  import { untrack } from 'svelte'
  import { push, replace, router } from 'svelte-spa-router'
  import {
    api,
    got,
    words,
    type CardBody,
    type Instrument,
    type Kpi,
    type Picture,
    type Reading,
    type Schemas,
    type Scope,
    type Yardstick,
  } from '../../api/client'
  import { LOOK } from '../../faces/looks'
  import type { Grab } from '../../faces/grab'
  import { kindOf, lists } from '../../faces/names.svelte'
  import Choices from '../../parts/Choices.svelte'
  import { GRAINS } from '../../api/periods'
  import ScopeSentence from '../../parts/ScopeSentence.svelte'
  import Slot from '../../parts/Slot.svelte'
  import Tally from '../../parts/Tally.svelte'
  import Workings, { type Asked } from '../../parts/Workings.svelte'
  import Bench from './Bench.svelte'
  import Grid from './Grid.svelte'
  import { place, settle } from './layout'
  import { Session } from './session.svelte'

  let { params }: { params: { id: string } } = $props()
  // Another scope is another address of the same scorecard: what is open stays open.
  const id = $derived(params.id)
  const session = $derived(new Session(id))
  const bench = $derived(router.location.endsWith('/bench'))
  let selected = $state<string | null>(null)
  let asked = $state<Asked | null>(null)
  let kpis = $state<Kpi[]>([])
  let yardsticks = $state<Yardstick[]>([])
  let failed = $state('')
  let clock = $state(Date.now())

  /** Reading another month or other members is kept in the address, so that reload and back work. */
  const fromAddress = $derived.by((): Scope | null => {
    const query = new URLSearchParams(router.querystring ?? '')
    if (!query.size) return null
    const members: Record<string, string[]> = {}
    for (const [name, member] of query)
      if (name !== 'period' && name !== 'grain') (members[name] ??= []).push(member)
    const grain = GRAINS.find((known) => known === query.get('grain')) ?? 'month'
    return { period: query.get('period') ?? 'complete', grain, members }
  })

  $effect(() => {
    const opened = session
    opened.open()
    return () => void opened.flush()
  })
  $effect(() => {
    const scope = bench ? null : fromAddress
    session.reading = scope
    untrack(() => session.body && session.read())
  })
  $effect(() => {
    if (bench) load()
  })
  $effect(() => {
    const timer = setInterval(() => (clock = Date.now()), 5000)
    return () => clearInterval(timer)
  })

  async function load() {
    try {
      ;[kpis, yardsticks] = await Promise.all([got(api.GET('/api/kpis')), got(api.GET('/api/yardsticks'))])
    } catch (error) {
      failed = words(error)
    }
  }

  const body = $derived(session.body)
  const card = $derived(session.picture)
  const pictures = $derived(
    Object.fromEntries((card?.instruments ?? []).map((picture): [string, Picture] => [picture.id, picture])),
  )
  const chosen = $derived(session.instruments.find((instrument) => instrument.id === selected))
  const saved = $derived.by(() => {
    if (session.saving === 'failed') return 'not saved yet'
    if (session.saving !== 'saved') return 'saving…'
    const seconds = Math.max(0, Math.round((clock - session.savedAt) / 1000))
    return seconds < 5
      ? 'saved just now'
      : seconds < 90
        ? `saved ${seconds} s ago`
        : `saved ${Math.round(seconds / 60)} min ago`
  })

  function scopeTo(scope: Scope) {
    if (bench) return session.change('change the scope', (draft) => (draft.scope = scope))
    const query = new URLSearchParams({ period: scope.period ?? 'complete', grain: scope.grain ?? 'month' })
    for (const [name, members] of Object.entries(scope.members ?? {}))
      for (const member of members) query.append(name, member)
    push(`/scorecards/${params.id}?${query}`)
  }

  const fresh = () =>
    crypto.getRandomValues(new Uint32Array(2)).reduce((text, part) => text + part.toString(36), 'n')

  async function add(sectionId: string, kpiId: string) {
    failed = ''
    try {
      const kpi = kpis.find((known) => known.id === kpiId)
      let yardstick = yardsticks.find((known) => known.body.kpi === kpiId)?.id
      if (!yardstick) {
        const proposed = await got(
          api.POST('/api/yardsticks/propose', {
            body: { kpi: kpiId, by: null, name: `${kpi?.body.name ?? 'New'} yardstick` },
          }),
        )
        yardstick = (await got(api.POST('/api/yardsticks', { body: proposed }))).id
        await load()
      }
      const known = yardsticks.find((held) => held.id === yardstick)
      const mark = known?.body.cuts.find((cut) => cut.mark)?.mark ?? 'target'
      const face: Instrument['face'] = kpi?.body.nature === 'flow' ? 'bar' : 'dial'
      const [w, h] = kindOf(face).size
      const id = fresh()
      session.change('add an instrument', (draft) => {
        const section = draft.sections?.find((held) => held.id === sectionId)
        if (!section) return
        const instruments = section.instruments ?? []
        section.instruments = [
          ...instruments,
          {
            id,
            kpi: kpiId,
            title: '',
            by: null,
            face,
            marks: [mark],
            further: [],
            look: structuredClone(LOOK),
            hide: [],
            yardstick,
            axis: { low: null, high: null },
            decimals: null,
            compact: null,
            ticks: true,
            order: 'gap',
            ...place(instruments, w, h),
            w,
            h,
          },
        ]
      })
      selected = id
    } catch (error) {
      failed = words(error)
    }
  }
  function remove(id: string) {
    session.change('delete an instrument', (draft) => {
      for (const section of draft.sections ?? [])
        section.instruments = settle((section.instruments ?? []).filter((held) => held.id !== id))
    })
    if (selected === id) selected = null
  }
  function duplicate(id: string) {
    const copied = fresh()
    session.change('copy an instrument', (draft) => {
      for (const section of draft.sections ?? []) {
        const held = section.instruments?.find((known) => known.id === id)
        if (held)
          section.instruments = [
            ...section.instruments!,
            { ...held, id: copied, ...place(section.instruments!, held.w, held.h) },
          ]
      }
    })
    selected = copied
  }
  function carry(id: string, way: -1 | 1) {
    session.change('move to another section', (draft) => {
      const sections = draft.sections ?? []
      const from = sections.findIndex((section) => section.instruments?.some((held) => held.id === id))
      const to = sections[from + way]
      const item = sections[from]?.instruments?.find((held) => held.id === id)
      if (!to || !item) return
      sections[from]!.instruments = settle(sections[from]!.instruments!.filter((held) => held.id !== id))
      to.instruments = settle([
        ...(to.instruments ?? []),
        { ...item, ...place(to.instruments ?? [], item.w, item.h) },
      ])
    })
  }
  function section(id: string, says: string, make: (draft: CardBody, at: number) => void) {
    session.change(says, (draft) => {
      const at = draft.sections?.findIndex((held) => held.id === id) ?? -1
      if (at >= 0) make(draft, at)
    })
  }
  function addSection() {
    session.change(
      'add a section',
      (draft) =>
        (draft.sections = [
          ...(draft.sections ?? []),
          { id: fresh(), title: 'New section', instruments: [] },
        ]),
    )
  }

  function keys(event: KeyboardEvent) {
    if (!bench || !(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z') return
    const target = event.target as HTMLElement
    if (target.closest('input:not([type=range]):not([type=checkbox]), textarea')) return
    event.preventDefault()
    void (event.shiftKey ? session.redo() : session.undo())
  }
  function leaving(event: BeforeUnloadEvent) {
    if (session.saving === 'saved' || session.conflict) return
    void session.flush()
    event.preventDefault()
  }
  /** What to ask the workings for: the instrument's own reading, or one of a period, a group, a further KPI. */
  function askedOf(instrument: Instrument, reading: Reading): Asked {
    const ask = reading.ask
    const held = $state.snapshot(instrument) as Instrument
    const scope = $state.snapshot(session.scope) as Scope
    const own = pictures[instrument.id]?.by_hand === 'value' && reading.value !== null && !ask
    const byHand = own
      ? {
          shown: reading.shown,
          set: (value: number) => keepByHand(instrument, { member: reading.member ?? null, value }),
        }
      : undefined
    if (!ask) return { instrument: held, scope, member: reading.member ?? null, byHand }
    return {
      instrument: {
        ...held,
        ...(ask.kpi ? { kpi: ask.kpi, yardstick: ask.yardstick, marks: ask.marks } : {}),
        by: ask.together || ask.kpi ? null : (ask.by ?? held.by),
      },
      scope: {
        ...scope,
        period: ask.period ?? scope.period,
        members: { ...scope.members, ...ask.members },
      },
      member: reading.member ?? null,
    }
  }
  async function keepByHand(
    instrument: Instrument,
    what: { member: string | null; step?: string; done?: boolean; value?: number },
  ) {
    const body = {
      instrument: $state.snapshot(instrument) as Instrument,
      scope: $state.snapshot(session.scope) as Scope,
      sure: true, // the field asked about what is far from usual
      ...what,
    }
    await got(api.POST('/api/scorecards/by-hand', { body }))
    await session.read()
  }
  /** Cuts and marks of one reading that can be dragged on its face; a mark only where it is one month's own. */
  function grabs(instrument: Instrument): Grab | undefined {
    const picture = pictures[instrument.id]
    const reading = picture?.readings[0]
    if (!kindOf(instrument.face).drags || !reading || lists(picture)) return
    const name = reading.marks[0]?.name ?? ''
    const plain = !reading.partial && /^\d{4}-\d{2}$/.test(picture.period)
    return {
      name,
      cut: (at, fraction, done, fine) => session.dragCut(instrument, at, fraction, done, fine),
      mark:
        plain && name && session.owner()
          ? (which, fraction, done, fine) => session.dragMark(instrument, which, fraction, done, fine)
          : undefined,
    }
  }
  async function tick(instrument: Instrument, reading: Reading, step: Schemas['Step'], done: boolean) {
    failed = ''
    const member = reading.member ?? null
    try {
      if (pictures[instrument.id]?.by_hand === 'steps')
        await keepByHand(instrument, { member, step: step.name, done })
      else {
        const at = reading.steps.findIndex((known) => known.name === step.name)
        const value = done ? step.value : (reading.steps[at - 1]?.value ?? pictures[instrument.id]?.axis?.low)
        await keepByHand(instrument, { member, value: value ?? 0 })
      }
    } catch (error) {
      failed = words(error)
    }
  }
  async function take(instrument: Instrument, kind: 'csv' | 'xlsx') {
    failed = ''
    try {
      const body = {
        instrument: $state.snapshot(instrument) as Instrument,
        scope: $state.snapshot(session.scope) as Scope,
      }
      const query = { kind }
      const file = (await got(
        api.POST('/api/scorecards/ledger', { params: { query }, body, parseAs: 'blob' }),
      )) as Blob
      const link = document.createElement('a')
      link.href = URL.createObjectURL(file)
      link.download = `${pictures[instrument.id]?.title ?? 'Ledger'}.${kind}`
      link.click()
      URL.revokeObjectURL(link.href)
    } catch (error) {
      failed = words(error)
    }
  }
  async function copyMine() {
    const id = await session.keepAsCopy()
    if (id) await replace(`/scorecards/${id}/bench`)
  }
  async function close() {
    await session.flush()
    session.rehearse = {}
    await push(`/scorecards/${params.id}`)
  }
</script>

<svelte:window onkeydown={keys} onbeforeunload={leaving} />

{#if session.missing}
  <main class="page">
    <h1>This scorecard is gone</h1>
    <p class="sentence">{session.problem} Go to the <a class="slot" href="#/scorecards">shelf</a>.</p>
  </main>
{:else}
  <div class="frame" class:bench>
    <main class="page">
      <div class="top">
        {#if bench && body}
          <input
            class="page-title"
            aria-label="Scorecard title"
            value={body.title}
            maxlength="120"
            onchange={(event) =>
              event.currentTarget.value.trim() &&
              session.change(
                'rename the scorecard',
                (draft) => (draft.title = event.currentTarget.value.trim()),
              )}
          />
          <div class="acts">
            <button class="act" onclick={addSection}>Add a section</button>
            <button class="act main" onclick={close}>Close the bench</button>
          </div>
        {:else}
          <h1>{body?.title ?? ''}</h1>
          <div class="acts"><a class="act main" href="#/scorecards/{params.id}/bench">Open the bench</a></div>
        {/if}
      </div>

      {#if session.conflict}
        <div class="note conflict" role="alert">
          <b>Changed elsewhere.</b> Somebody else, or another tab, saved a newer version of this scorecard.
          Your changes are still here.
          <button class="act" onclick={() => session.takeNewer()}>Take the newer one</button>
          <button class="act" onclick={copyMine}>Keep mine as a copy</button>
        </div>
      {/if}
      {#if session.problem || failed}
        <p class="note" role="alert">
          {session.problem || failed}
          <button
            class="act quiet"
            onclick={() => {
              failed = ''
              session.read()
            }}>Try again</button
          >
        </p>
      {/if}

      {#if card && body}
        <div class="scope">
          <ScopeSentence picture={card} scope={session.scope} change={scopeTo} again={() => session.read()} />
          {#if bench}
            <p class="small soft state">
              Bench open · <span aria-live="polite">version {session.version}, {saved}</span> ·
              <button
                class="slot"
                disabled={!session.canUndo}
                title={session.undoSays}
                onclick={() => session.undo()}>undo</button
              >
              <button
                class="slot"
                disabled={!session.canRedo}
                title={session.redoSays}
                onclick={() => session.redo()}>redo</button
              >
            </p>
          {:else if fromAddress}
            <a class="small back" href="#/scorecards/{params.id}">back to the scorecard’s own scope</a>
          {/if}
        </div>
        {#if card.tally.length && !bench}<Tally tally={card.tally} />{/if}

        {#each body.sections ?? [] as held, at (held.id)}
          <div class="section" data-section={held.id}>
            {#if bench}
              <input
                class="name"
                aria-label="Section title"
                value={held.title}
                maxlength="120"
                size={Math.max(8, (held.title ?? '').length + 1)}
                onchange={(event) =>
                  section(
                    held.id,
                    'rename a section',
                    (draft, i) => (draft.sections![i]!.title = event.currentTarget.value.trim()),
                  )}
              />
              <hr />
              <Slot text="Add an instrument" label="Choose its KPI">
                {#snippet children(done)}
                  {#if kpis.length}
                    <p class="small soft pad">Show a KPI …</p>
                    <Choices
                      choices={kpis.map((kpi) => ({
                        key: kpi.id,
                        name: kpi.body.name,
                        note: kpi.body.owner,
                      }))}
                      choose={(kpi) => {
                        done()
                        add(held.id, kpi)
                      }}
                    />
                  {:else}
                    <p class="small pad">There is no KPI yet. <a href="#/kpis">Write one</a> first.</p>
                  {/if}
                {/snippet}
              </Slot>
              <button
                class="act quiet"
                disabled={at === 0}
                aria-label="Move section up"
                onclick={() =>
                  section(held.id, 'move a section', (draft, i) =>
                    draft.sections!.splice(i - 1, 0, draft.sections!.splice(i, 1)[0]!),
                  )}>↑</button
              >
              <button
                class="act quiet"
                disabled={at === (body.sections?.length ?? 0) - 1}
                aria-label="Move section down"
                onclick={() =>
                  section(held.id, 'move a section', (draft, i) =>
                    draft.sections!.splice(i + 1, 0, draft.sections!.splice(i, 1)[0]!),
                  )}>↓</button
              >
              <button
                class="act quiet"
                aria-label="Delete section {held.title}"
                onclick={() =>
                  section(held.id, 'delete a section', (draft, i) => draft.sections!.splice(i, 1))}
                >Delete</button
              >
            {:else}
              <h2>{held.title}</h2>
              <hr />
              <span class="small soft">{card.sections.find((note) => note.id === held.id)?.words ?? ''}</span>
            {/if}
          </div>
          {#if held.instruments?.length}
            <Grid
              section={held}
              {pictures}
              {bench}
              {selected}
              select={(id) => {
                if (selected !== id) session.rehearse = {}
                selected = id
              }}
              open={(instrument, reading) => !bench && (asked = askedOf(instrument, reading))}
              {tick}
              {take}
              {grabs}
              arrange={(items, says) =>
                section(
                  held.id,
                  says,
                  (draft, i) => (draft.sections![i]!.instruments = $state.snapshot(items) as Instrument[]),
                )}
              {carry}
              {remove}
            />
          {:else if bench}
            <p class="empty sentence">
              Show <b>a KPI</b> for <b>a scope</b> as <b>a face</b> … Use “Add an instrument” above to begin.
            </p>
          {/if}
        {:else}
          <p class="empty sentence">
            {#if bench}This scorecard is empty. <button class="slot" onclick={addSection}
                >Add a section</button
              >, then an instrument in it.
            {:else}This scorecard is empty. <a class="slot" href="#/scorecards/{params.id}/bench"
                >Open the bench</a
              > to put instruments on it.{/if}
          </p>
        {/each}
      {:else if !session.problem}
        <p class="soft">Reading…</p>
      {/if}
    </main>
    {#if bench && card}
      <div class="panel">
        {#if chosen}
          {#key chosen.id}
            <Bench
              {session}
              instrument={chosen}
              picture={pictures[chosen.id]}
              {card}
              {kpis}
              {yardsticks}
              reload={load}
              copy={() => duplicate(chosen.id)}
              remove={() => remove(chosen.id)}
            />
          {/key}
        {:else}
          <p class="sentence hint">
            Choose an instrument to change it, or add one to a section. Drag by the two lines on its top, size
            it at the corner; with the keyboard, Tab to the two lines and use the arrows.
          </p>
        {/if}
      </div>
    {/if}
  </div>
{/if}

{#if asked}<Workings {asked} close={() => (asked = null)} />{/if}

<style>
  .frame.bench {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 404px;
    flex: 1;
  }
  .panel {
    position: sticky;
    top: 44px;
    height: calc(100vh - 44px);
    overflow: auto;
    background: var(--sheet);
    border-left: 1px solid var(--rule);
    box-shadow: -8px 0 30px rgb(30 40 46 / 0.06);
  }
  .hint {
    padding: 22px 20px;
  }
  .top {
    display: flex;
    align-items: center;
    gap: 14px;
    min-height: 34px;
  }
  h1 {
    flex: 1;
    min-width: 0;
  }
  .name:hover,
  .name:focus {
    border-bottom-color: var(--accent);
    outline: none;
  }
  .acts {
    display: flex;
    gap: 10px;
  }
  .scope {
    display: flex;
    justify-content: space-between;
    align-items: baseline;
    flex-wrap: wrap;
    gap: 0 16px;
    margin-bottom: 8px;
  }
  .back {
    color: var(--accent);
    text-decoration: underline;
  }
  .state .slot {
    border-bottom: 2px solid var(--accent);
    font-weight: 620;
    margin-left: 4px;
    cursor: pointer;
  }
  .state .slot:disabled {
    border-color: var(--rule);
    color: var(--soft);
    cursor: default;
  }
  .section {
    display: flex;
    align-items: center;
    gap: 12px;
    margin: 14px 0 8px;
  }
  .section hr {
    flex: 1;
    border: none;
    border-top: 1px solid var(--rule);
  }
  .name {
    field-sizing: content;
    max-width: 60%;
    font-size: 15px;
    font-weight: 650;
    background: transparent;
    border: none;
    border-bottom: 2px solid transparent;
    padding: 0;
  }
  .empty {
    padding: 24px;
    border: 1px dashed var(--rule);
    border-radius: 5px;
    text-align: center;
  }
  .empty b {
    border-bottom: 2px solid var(--accent);
    color: var(--ink);
    font-weight: 620;
  }
  .conflict {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 8px;
    margin: 6px 0;
  }
  .pad {
    padding: 4px 8px;
  }
  @media (max-width: 600px) {
    .section,
    .top {
      flex-wrap: wrap;
    }
    .section hr {
      flex-basis: 40px;
    }
  }
  @media (max-width: 1000px) {
    .frame.bench {
      grid-template-columns: minmax(0, 1fr);
    }
    .panel {
      position: static;
      height: auto;
    }
  }
</style>
