<script lang="ts">
  import { tick, untrack } from 'svelte'
  import { push, replace, router } from 'svelte-spa-router'
  import {
    api,
    attempt,
    got,
    words,
    type Kpi,
    type Picture,
    type Scope,
    type Yardstick,
  } from '../../api/client'
  import { GRAINS } from '../../api/periods'
  import Drawer from '../../parts/Drawer.svelte'
  import Slot from '../../parts/Slot.svelte'
  import TakeOut from '../../parts/TakeOut.svelte'
  import Links from '../editions/Links.svelte'
  import ScopeSentence from '../../parts/ScopeSentence.svelte'
  import Tally from '../../parts/Tally.svelte'
  import Workings, { type Asked } from '../../parts/Workings.svelte'
  import Assuming from './Assuming.svelte'
  import Bench from './Bench.svelte'
  import * as compose from './compose'
  import Grid from './Grid.svelte'
  import MakeEdition from './MakeEdition.svelte'
  import { askedOf, grabs, takeOut, tick as tickStep } from './reach'
  import SectionHead from './SectionHead.svelte'
  import { isInstrument, stand, standing } from './layout'
  import { Session } from './session.svelte'
  import WordsBench from './WordsBench.svelte'

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
  let height = $state(Number(localStorage.getItem('bench-height')) || 300)
  let pressed = false

  /** Reading another month or other members is kept in the address, so that reload and back work. */
  const fromAddress = $derived.by((): Scope | null => {
    const query = new URLSearchParams(router.querystring ?? '')
    if (![...query.keys()].some((name) => name !== 'assume')) return null
    const members: Record<string, string[]> = {}
    for (const [name, member] of query)
      if (!['period', 'grain', 'assume'].includes(name)) (members[name] ??= []).push(member)
    const grain = GRAINS.find((known) => known === query.get('grain')) ?? 'month'
    return { period: query.get('period') ?? 'complete', grain, members, assume: {} }
  })

  $effect(() => {
    const opened = session
    opened.open()
    return () => void opened.flush()
  })
  const assumed = $derived(
    new URLSearchParams(router.querystring ?? '').getAll('assume').map((text): [string, number] => {
      const at = text.lastIndexOf(':')
      return [text.slice(0, at), Number(text.slice(at + 1))]
    }),
  )
  $effect(() => {
    const scope = bench ? null : fromAddress
    session.reading = scope
    session.assume = Object.fromEntries(assumed.filter(([, value]) => Number.isFinite(value)))
    session.settled = () => void replace(addressOf(fromAddress))
    untrack(() => session.body && session.read())
  })
  $effect(() => {
    if (bench) load()
  })
  // What is chosen is seen: it is scrolled above the drawer, but never away from under a pointer that drags it.
  $effect(() => {
    if (bench && selected) void show(selected)
  })
  async function show(id: string) {
    await tick()
    while (pressed) await new Promise((done) => setTimeout(done, 60))
    document.querySelector(`[data-instrument="${CSS.escape(id)}"]`)?.scrollIntoView({ block: 'nearest' })
  }
  // Whatever is scrolled to, by focus too, stops above the drawer and below the bar on top.
  $effect(() => {
    if (!bench) return
    const page = document.documentElement.style
    page.scrollPadding = `60px 0 ${(chosen ? height : 76) + 44}px`
    return () => (page.scrollPadding = '')
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
  const texts = $derived(Object.fromEntries((card?.texts ?? []).map((text) => [text.id, text])))
  const chosen = $derived((body?.sections ?? []).flatMap(standing).find((item) => item.id === selected))
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
    push(addressOf(scope))
  }
  function addressOf(scope: Scope | null): string {
    const query = new URLSearchParams(
      scope ? { period: scope.period ?? 'complete', grain: scope.grain ?? 'month' } : {},
    )
    for (const [name, members] of Object.entries(scope?.members ?? {}))
      for (const member of members) query.append(name, member)
    for (const [key, value] of Object.entries(session.assume)) query.append('assume', `${key}:${value}`)
    return `/scorecards/${params.id}${bench ? '/bench' : ''}${query.size ? `?${query}` : ''}`
  }

  /** Do something that may be refused, and say so. */
  const tried = (work: () => Promise<unknown>) => attempt(work, (said) => (failed = said))
  const add = (section: string, kpiId: string) =>
    tried(async () => {
      const kpi = kpis.find((known) => known.id === kpiId)!
      const yardstick = await compose.yardstickOf(kpi, yardsticks)
      if (!yardsticks.includes(yardstick)) await load()
      selected = await compose.add(session, section, kpi, yardstick)
    })
  function remove(id: string) {
    compose.remove(session, id)
    if (selected === id) selected = null
  }

  function leaving(event: BeforeUnloadEvent) {
    if (session.saving === 'saved' || session.conflict) return
    void session.flush()
    event.preventDefault()
  }
  const plain = <T,>(value: T) => $state.snapshot(value) as T
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

<svelte:window
  onpointerdowncapture={() => (pressed = true)}
  onpointerupcapture={() => (pressed = false)}
  onpointercancelcapture={() => (pressed = false)}
  onkeydown={(event) => bench && session.history.keys(event)}
  onbeforeunload={leaving}
/>

{#if session.missing}
  <main class="page">
    <h1>This scorecard is gone</h1>
    <p class="sentence">{session.problem} Go to the <a class="slot" href="#/scorecards">scorecards</a>.</p>
  </main>
{:else}
  <div class="frame" class:bench style:--drawer="{chosen ? height : 76}px">
    <main class="page">
      <div class="top">
        {#if bench && body}
          <h1 class="sr-only">{body.title}</h1>
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
            <button class="act" onclick={() => compose.addSection(session)}>Add a section</button>
          </div>
        {:else}
          <h1>{body?.title ?? ''}</h1>
          <div class="acts">
            {#if card && body && card.version}
              <MakeEdition id={params.id} title={body.title} {card} scope={plain(session.scope)} />
              <Slot text="Take out" label="Take out" width={290}>
                {#snippet children()}
                  <div class="take-out">
                    <TakeOut
                      of={{ scorecard: params.id, scope: { ...plain(session.asked), period: card.period } }}
                      sheets={card.instruments.map((one) => ({ key: one.id, name: one.title }))}
                    />
                  </div>
                {/snippet}
              </Slot>
              <Slot text="Share" label="Share" width={300}>
                {#snippet children()}
                  <div class="take-out">
                    <p class="small soft">
                      Whoever has the link reads this scorecard as it stands, and nothing else.
                    </p>
                    <Links of={{ scorecard: params.id, scope: plain(session.scope) }} />
                  </div>
                {/snippet}
              </Slot>
            {/if}
            <a class="act main" href="#/scorecards/{params.id}/bench">Open the bench</a>
          </div>
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
          {#if !bench && fromAddress}
            <a class="small back" href="#/scorecards/{params.id}">back to the scorecard’s own scope</a>
          {/if}
        </div>
        {#if card.tally.length}<Tally tally={card.tally} />{/if}
        {#if card.assumptions.length}<Assuming {session} {card} />{/if}

        {#each body.sections ?? [] as held (held.id)}
          <SectionHead
            {session}
            section={held}
            words={card.sections.find((note) => note.id === held.id)?.words ?? ''}
            {bench}
            {kpis}
            add={(kpi) => add(held.id, kpi)}
            write={(kind) => (selected = compose.addWords(session, held.id, kind))}
          />
          {#if standing(held).length}
            <Grid
              section={held}
              {pictures}
              {texts}
              {bench}
              {selected}
              select={(id) => {
                if (selected !== id) session.rehearse = {}
                selected = id
              }}
              open={(instrument, reading) =>
                !bench &&
                (asked = askedOf(
                  session,
                  plain(instrument),
                  plain(session.asked),
                  pictures[instrument.id],
                  reading,
                ))}
              tick={(instrument, reading, step, done) =>
                tried(() =>
                  tickStep(session, plain(instrument), pictures[instrument.id], reading, step, done),
                )}
              take={(instrument, kind) => {
                const title = pictures[instrument.id]?.title ?? 'Ledger'
                return tried(() => takeOut(plain(instrument), plain(session.asked), title, kind))
              }}
              grabs={(instrument) => grabs(session, instrument, pictures[instrument.id])}
              arrange={(items, says) =>
                compose.changeSection(session, held.id, says, (section) => stand(section, plain(items)))}
              carry={(id, way) => compose.carry(session, id, way)}
              {remove}
            />
          {:else if bench}
            <p class="empty sentence">
              Show <b>a KPI</b> for <b>a scope</b> as <b>a face</b> … Use “Add an instrument” above to begin.
            </p>
          {/if}
        {:else}
          <p class="empty sentence">
            {#if bench}This scorecard is empty. <button
                class="slot"
                onclick={() => compose.addSection(session)}>Add a section</button
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
      <Drawer label="Bench" key="bench-height" bind:height low={!chosen}>
        {#snippet tab()}
          <p class="small soft state">
            <span aria-live="polite">version {session.version}, {saved}</span> ·
            <button
              disabled={!session.history.canUndo}
              title={session.history.back?.says}
              onclick={() => session.history.undo()}>undo</button
            >
            ·
            <button
              disabled={!session.history.canRedo}
              title={session.history.forth?.says}
              onclick={() => session.history.redo()}>redo</button
            >
            · <button onclick={close}>Close the bench</button>
            {#if chosen}<button class="to-page" onclick={() => (selected = null)}>To the page</button>{/if}
          </p>
        {/snippet}
        {#if chosen}
          {#key chosen.id}
            {#if !isInstrument(chosen)}
              <WordsBench
                {session}
                item={chosen}
                drawn={texts[chosen.id]}
                {kpis}
                copy={() => (selected = compose.duplicate(session, chosen.id))}
                remove={() => remove(chosen.id)}
              />
            {:else}
              <Bench
                {session}
                instrument={chosen}
                picture={pictures[chosen.id]}
                {card}
                {kpis}
                {yardsticks}
                reload={load}
                copy={() => (selected = compose.duplicate(session, chosen.id))}
                remove={() => remove(chosen.id)}
              />
            {/if}
          {/key}
        {:else}
          <p class="sentence hint">
            Choose an instrument to change it, or add one to a section. Drag by the two lines on its top, size
            it at the corner; with the keyboard, Tab to the two lines and use the arrows.
          </p>
        {/if}
      </Drawer>
    {/if}
  </div>
{/if}

{#if asked}<Workings {asked} close={() => (asked = null)} />{/if}

<style>
  .frame.bench {
    padding-bottom: calc(var(--drawer) + 34px);
  }
  .hint {
    padding: 14px 20px 16px;
    font-size: 15px;
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
  .take-out {
    padding: 6px 8px;
  }
  .acts {
    display: flex;
    align-items: center;
    gap: 16px;
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
  .state button {
    color: var(--accent);
    font-weight: 640;
    cursor: pointer;
  }
  .state button:hover:not(:disabled) {
    text-decoration: underline;
  }
  .state button:disabled {
    color: var(--soft);
    font-weight: 450;
    cursor: default;
  }
  .to-page {
    display: none;
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
  @media (max-width: 600px) {
    .top {
      flex-wrap: wrap;
    }
  }
  @media (max-width: 760px) {
    .state {
      display: flex;
      flex-wrap: wrap;
      gap: 0 6px;
    }
    .to-page {
      display: inline;
      margin-left: auto;
    }
  }
</style>
