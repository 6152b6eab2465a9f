<script lang="ts">
  import { setContext, tick, untrack } from 'svelte'
  import { push, replace, router } from 'svelte-spa-router'
  import {
    api,
    attempt,
    got,
    words,
    type Instrument,
    type Kpi,
    type Picture,
    type Placed,
    type Reading,
    type Scope,
    type Section,
    type Yardstick,
  } from '../../api/client'
  import { whenChanged } from '../../api/changes'
  import { letMembersBeRead, type Whole } from '../../faces/member-page'
  import { GRAINS } from '../../api/periods'
  import Drawer from '../../parts/Drawer.svelte'
  import Slot from '../../parts/Slot.svelte'
  import TakeOut from '../../parts/TakeOut.svelte'
  import Links from '../editions/Links.svelte'
  import ScopeSentence from '../../parts/ScopeSentence.svelte'
  import Tally from '../../parts/Tally.svelte'
  import { toggled } from '../../parts/toggled'
  import Workings, { type Asked } from '../../parts/Workings.svelte'
  import Assuming from './Assuming.svelte'
  import Bench from './Bench.svelte'
  import * as compose from './compose'
  import CardBench from './CardBench.svelte'
  import Grid from '../../parts/page/Grid.svelte'
  import MakeEdition from './MakeEdition.svelte'
  import { askedOf, grabs, takeOut, tick as tickStep } from './reach'
  import SectionHead from './SectionHead.svelte'
  import { isInstrument, stand, standing } from '../../parts/page/layout'
  import { Session, type Moved } from './session.svelte'
  import JustMade from '../rows/JustMade.svelte'
  import WordsBench from './WordsBench.svelte'

  const AHEAD_MS = 400 // first the page itself is drawn
  let { params }: { params: { id: string } } = $props()
  // Another scope is another address of the same scorecard: what is open stays open.
  const id = $derived(params.id)
  const session = $derived(new Session(id))
  const bench = $derived(router.location.endsWith('/bench'))
  let selected = $state<string | null>(null)
  let asked = $state<(Asked & { named: string }) | null>(null)
  let kpis = $state<Kpi[]>([])
  let yardsticks = $state<Yardstick[]>([])
  let failed = $state('')
  let clock = $state(Date.now())
  let height = $state(Number(localStorage.getItem('bench-height')) || 300)
  let pressed = false
  /** Where the page was before it read a member that was pressed. */
  let back = $state('')

  /** What else stands in the address; no column is called so. */
  const OWN = ['-lit', '-reading', '-turned', '-write']
  const query = $derived(new URLSearchParams(router.querystring ?? ''))
  /** The part of it that says what is read, which stays the same while anything else changes. */
  const scoped = $derived(new URLSearchParams([...query].filter(([name]) => !OWN.includes(name))).toString())
  /** Reading another month or other members is kept in the address, so that reload and back work. */
  const fromAddress = $derived.by((): Scope | null => {
    const query = new URLSearchParams(scoped)
    query.delete('assume')
    if (!query.size) return null
    const members: Record<string, string[]> = {}
    for (const [name, member] of query)
      if (!['period', 'grain'].includes(name)) (members[name] ??= []).push(member)
    const grain = GRAINS.find((known) => known === query.get('grain')) ?? 'month'
    return { period: query.get('period') ?? 'complete', grain, members, assume: {} }
  })

  $effect(() => {
    const opened = session
    opened.open()
    return () => void opened.flush()
  })
  const assumed = $derived(
    new URLSearchParams(scoped).getAll('assume').map((text): [string, number] => {
      const at = text.lastIndexOf(':')
      const name = text.slice(0, at) // its handle, where somebody wrote the address
      const key = session.picture?.assumptions?.find((one) => one.handle === name)?.key ?? name
      return [key, Number(text.slice(at + 1))]
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
    if (bench && selected) void seen(selected)
  })
  async function seen(id: string) {
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
  /** The part of the tally whose readings stay bright. */
  const lit = $derived(bench ? '' : (query.get('-lit') ?? ''))
  /** The reading whose workings are open, as `sheet/key`. */
  const named = $derived(bench ? '' : (query.get('-reading') ?? ''))
  /** Sections that a reader has folded or opened, otherwise than they open. */
  const turned = $derived((query.get('-turned') ?? '').split(',').filter(Boolean))
  const folded = (section: Section) => !bench && (section.folded ?? false) !== turned.includes(section.id)
  setContext('lit', () => lit)
  setContext('moved', (sheet: string) => moved.some((one) => one.sheet === sheet))
  let moved = $state<Moved[]>([])
  let away = $state(false)
  $effect(() => {
    const told = session
    return whenChanged(
      async () => {
        if (bench) return // what is changed there names the versions it was seen at
        const found = await told.again()
        if (found.length) moved = found
      },
      (gone) => (away = gone),
    )
  })
  // A reading that the address names is open, once the page is there.
  $effect(() => {
    if (!named) asked = null
    else if (card) untrack(() => asked?.named !== named && show(named, query.has('-write')))
  })
  function show(named: string, write: boolean) {
    const [sheet, ...key] = named.split('/')
    const instrument = session.instruments.find((one) => one.id === sheet)
    const reading = pictures[sheet!]?.readings.find((one) => one.key === key.join('/'))
    if (!instrument || !reading) return void leave()
    const of = askedOf(session, plain(instrument), plain(session.pageScope), pictures[instrument.id], reading)
    asked = { ...of, named, write, whole: wholeOf(instrument.by, reading) }
  }
  /** Have the address hold more, or without a word no more, of how the page is read. */
  async function keep(more: Record<string, string>) {
    await tick()
    const found = new URLSearchParams(location.hash.split('?')[1]) // what the router is still to be told of too
    for (const [name, said] of Object.entries(more))
      if (said) found.set(name, said)
      else found.delete(name)
    await replace(`/scorecards/${params.id}${found.size ? `?${found}` : ''}`)
  }
  const leave = () => keep({ '-reading': '', '-write': '' })
  const press = (state: string) => keep({ '-lit': lit === state ? '' : state })
  const fold = (section: Section) => keep({ '-turned': toggled(turned, section.id).join() })
  /** The scope some periods on, where there are rows. */
  function stepped(by: number): Scope | null {
    const at = card?.periods.findIndex((one) => one.key === card.period) ?? -1
    const next = at < 0 ? undefined : card?.periods[at + by]
    return next ? { ...plain(session.scope), period: next.key } : null
  }
  async function step(by: -1 | 1) {
    const scope = stepped(by)
    if (!scope) return
    const top = window.scrollY
    session.show({ ...scope, assume: {} })
    await push(addressOf(scope))
    requestAnimationFrame(() => window.scrollTo(0, top))
    ahead(by, 2 * by)
  }
  const ahead = (...steps: number[]) => {
    const next = steps.map(stepped).filter((one) => one !== null)
    void session.ahead(next.map((one) => ({ ...one, assume: {} })))
  }
  // The periods beside the one that is opened are at hand before anybody steps to them.
  const opened = $derived(!bench && card && !card.waiting ? params.id : '')
  $effect(() => {
    if (!opened) return
    const timer = setTimeout(() => ahead(-1, 1), AHEAD_MS)
    return () => clearTimeout(timer)
  })
  function keys(event: KeyboardEvent) {
    if (bench) return session.history.keys(event)
    const target = event.target as HTMLElement
    const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key] as -1 | 1 | undefined
    if (!way || event.altKey || event.ctrlKey || event.metaKey || event.shiftKey || asked) return
    if (target.closest('input, textarea, select, [role=dialog], [role=listbox], [role=slider], .slot-panel'))
      return
    event.preventDefault()
    void step(way)
  }
  setContext('notes', () => session.picture?.notes ?? [])
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
  function addressOf(scope: Scope | null, how = bench ? 'bench' : ''): string {
    const query = new URLSearchParams(
      scope ? { period: scope.period ?? 'complete', grain: scope.grain ?? 'month' } : {},
    )
    for (const [name, members] of Object.entries(scope?.members ?? {}))
      for (const member of members) query.append(name, member)
    if (lit && !how) query.append('-lit', lit)
    if (turned.length && !how) query.append('-turned', turned.join())
    for (const [key, value] of how === 'present' ? [] : Object.entries(session.assume))
      query.append('assume', `${key}:${value}`)
    return `/scorecards/${params.id}${how ? `/${how}` : ''}${query.size ? `?${query}` : ''}`
  }

  /** How the whole page is read for a reading's member, unless it is. */
  function wholeOf(by: string | null | undefined, reading: Reading): Whole | undefined {
    const member = reading.role === 'member' ? reading.member : null
    const known = by && card?.segments.find((one) => one.name === by)?.members.includes(member ?? '')
    const scope = session.scope
    if (bench || !known || !member || (scope.members[by!] ?? []).join() === member) return undefined
    return {
      name: member,
      read: () => {
        back = addressOf(fromAddress)
        scopeTo({ ...plain(scope), members: { ...plain(scope.members), [by!]: [member] } })
      },
    }
  }
  const segments = $derived(
    Object.fromEntries(
      (body?.sections ?? []).flatMap((held) => held.instruments ?? []).map((one) => [one.id, one.by]),
    ),
  )
  letMembersBeRead((picture, reading) => wholeOf(segments[picture.id], reading))
  function open(instrument: Instrument, reading: Reading, write = reading.word === 'wanted') {
    if (!bench) void keep({ '-reading': `${instrument.id}/${reading.key}`, '-write': write ? '1' : '' })
  }
  /** Do something that may be refused, and say so. */
  const tried = (work: () => Promise<unknown>) => attempt(work, (said) => (failed = said))
  const add = (section: string, kpiId: string) =>
    tried(async () => {
      const kpi = kpis.find((known) => known.id === kpiId)!
      const yardstick = await compose.yardstickOf(kpi, yardsticks)
      if (!yardsticks.includes(yardstick)) await load()
      choose(await compose.add(session, section, kpi, yardstick))
    })
  /** Sheets that are chosen together; the last one is on the bench. */
  let picked = $state<string[]>([])
  /** Whether several are being chosen: then going from sheet to sheet by Tab chooses nothing. */
  let gathering = $state(false)
  /** What was deleted last, which can be taken back until something else is changed. */
  const gone = $derived(/^delete (.*)/.exec(session.history.back?.says ?? '')?.[1])
  function choose(id: string, also = false) {
    if (selected !== id) session.rehearse = {}
    if (!also) picked = [id]
    else if (!picked.includes(id)) picked = [...picked, id]
    else if (gathering) picked = picked.filter((other) => other !== id)
    gathering = also && picked.length > 0
    selected = picked.at(-1) ?? null
  }
  const together = (id: string) => (picked.includes(id) ? plain(picked) : [id])
  function remove(id: string) {
    const ids = together(id)
    compose.removeAll(session, ids, pictures[id]?.title || 'a sheet')
    selected = null
    picked = []
  }
  /** Sheets are copied as text, so that they can be pasted on another scorecard, also in another window. */
  const COPIED = 'ironmark-sheets'
  const typing = (event: Event) =>
    !!(event.target as HTMLElement).closest?.('input, textarea, select, [contenteditable]')
  function copySheets(event: ClipboardEvent) {
    if (!bench || typing(event) || !picked.length || getSelection()?.toString()) return
    const items = (body?.sections ?? []).flatMap(standing).filter((item) => picked.includes(item.id))
    event.clipboardData?.setData('text/plain', JSON.stringify({ [COPIED]: plain(items) }))
    event.preventDefault()
  }
  function pasteSheets(event: ClipboardEvent) {
    if (!bench || typing(event)) return
    let items: Placed[] = []
    try {
      const found = JSON.parse(event.clipboardData?.getData('text/plain') ?? '') as Record<string, Placed[]>
      items = Array.isArray(found[COPIED]) ? found[COPIED].slice(0, 50) : []
    } catch {
      return // it is other text
    }
    const sections = body?.sections ?? []
    const to = sections.find((held) => standing(held).some((item) => item.id === selected)) ?? sections.at(-1)
    if (!to || !items.length) return
    event.preventDefault()
    picked = compose.paste(session, to.id, items)
    selected = picked.at(-1) ?? null
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
  oncopy={copySheets}
  onpaste={pasteSheets}
  onkeydown={keys}
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
              <MakeEdition id={params.id} title={body.title} {card} scope={plain(session.pageScope)} />
              <Slot text="Take out" label="Take out" width={290}>
                {#snippet children()}
                  <div class="take-out">
                    <TakeOut
                      of={{ scorecard: params.id, scope: plain(session.pageScope) }}
                      sheets={card.instruments.map((one) => ({ key: one.id, name: one.title }))}
                      sections={(session.body?.sections ?? []).map((one) => ({
                        key: one.id,
                        name: one.title || 'without a title',
                      }))}
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
            <a class="act" href="#{addressOf(fromAddress, 'present')}">Present</a>
            <a class="act main" href="#/scorecards/{params.id}/bench">Open the bench</a>
          </div>
        {/if}
      </div>

      <JustMade id={session.id} version={session.version} />
      {#if session.conflict}
        <div class="note conflict" role="alert">
          <b>Changed elsewhere.</b> Somebody else, or another tab, saved a newer version of this scorecard.
          Your changes are still here.
          <button class="act" onclick={() => session.takeNewer()}>Take the newer one</button>
          <button class="act" onclick={copyMine}>Keep mine as a copy</button>
        </div>
      {/if}
      {#if session.problem || session.refused || failed}
        <p class="note" role="alert">
          {session.problem || session.refused || failed}
          {#if session.problem && session.unknown}<a class="act" href="#/scorecards/{session.id}"
              >Read the whole page</a
            >{/if}
          <button
            class="act quiet"
            onclick={() => {
              failed = session.refused = ''
              session.read()
            }}>{session.problem ? 'Try again' : 'Seen'}</button
          >
        </p>
      {/if}

      {#if card && body}
        <div class="scope">
          <ScopeSentence picture={card} scope={session.scope} change={scopeTo} again={() => session.read()} />
          {#if !bench && fromAddress && back}
            <a class="small back" href="#{back}" onclick={() => (back = '')}>one step back</a>
          {/if}
          {#if !bench && fromAddress}
            <a class="small back" href="#/scorecards/{params.id}">back to the scorecard’s own scope</a>
          {/if}
        </div>
        {#if card.tally.length}
          <Tally tally={card.tally} press={bench ? undefined : press} pressed={lit} />
        {/if}
        {#if !bench && (card.wanted.length || lit || away || moved.length)}
          <p class="under small" aria-live="polite">
            {#if card.wanted.length}
              <button class="link" aria-pressed={lit === 'wanted'} onclick={() => press('wanted')}
                >{card.wanted.length} without a word</button
              >
            {/if}
            {#if lit}<button class="link" onclick={() => press(lit)}>Show all again</button>{/if}
            {#if away}<span>The server is away; this is how it read last. It is asked again by itself.</span
              >{/if}
            {#if moved.length}
              <span
                >Just changed: {moved
                  .slice(0, 3)
                  .map((one) => `${one.title} ${one.from} → ${one.to}`)
                  .join('; ')}{moved.length > 3 ? `; and ${moved.length - 3} more` : ''}
                <button class="link" onclick={() => (moved = [])}>Seen</button></span
              >
            {/if}
          </p>
        {/if}
        {#if card.assumptions.length}<Assuming {session} {card} />{/if}

        {#each body.sections ?? [] as held (held.id)}
          <SectionHead
            {session}
            section={held}
            words={card.sections.find((note) => note.id === held.id)?.words ?? ''}
            {bench}
            {kpis}
            add={(kpi) => add(held.id, kpi)}
            folded={folded(held)}
            fold={() => fold(held)}
            write={(kind) => choose(compose.addWords(session, held.id, kind))}
          />
          {#if folded(held)}
            <!-- folded: its words above say what changed in it -->
          {:else if standing(held).length}
            <Grid
              section={held}
              {pictures}
              {texts}
              {bench}
              {selected}
              {picked}
              select={choose}
              reach={(id) => !gathering && choose(id)}
              {open}
              tick={(instrument, reading, step, done) =>
                tried(() =>
                  tickStep(session, plain(instrument), pictures[instrument.id], reading, step, done),
                )}
              take={(instrument, kind) => {
                const title = pictures[instrument.id]?.title ?? 'Ledger'
                return tried(() => takeOut(plain(instrument), plain(session.pageScope), title, kind))
              }}
              grabs={(instrument) => grabs(session, instrument, pictures[instrument.id])}
              arrange={(items, says) =>
                compose.changeSection(session, held.id, says, (section) => stand(section, plain(items)))}
              carry={(id, way) => compose.carry(session, together(id), way)}
              drop={(id, section, at) => compose.carryTo(session, together(id), section, at)}
              {remove}
            />
          {:else if bench}
            <p class="empty sentence" data-takes={held.id}>
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
            {#if picked.length > 1}· {picked.length} sheets chosen{/if}
            {#if gone}· Deleted {gone}.
              <button onclick={() => session.history.undo()}>Take back</button>{/if}
            {#if chosen}<button class="to-page" onclick={() => ((selected = null), (picked = []))}
                >To the page</button
              >{/if}
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
                copy={() => choose(compose.duplicate(session, chosen.id))}
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
                copy={() => choose(compose.duplicate(session, chosen.id))}
                remove={() => remove(chosen.id)}
              />
            {/if}
          {/key}
        {:else}
          <CardBench {session} {card} />
        {/if}
      </Drawer>
    {/if}
  </div>
{/if}

{#if asked}<Workings {asked} close={leave} noted={() => void session.read()} />{/if}

<style>
  .frame.bench {
    padding-bottom: calc(var(--drawer) + 34px);
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
    align-items: baseline;
    flex-wrap: wrap;
    gap: 0 16px;
    margin-bottom: 8px;
  }
  .under {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 16px;
    margin-top: 6px;
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
    .top,
    .acts {
      flex-wrap: wrap;
    }
    .acts {
      gap: 8px 14px;
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
