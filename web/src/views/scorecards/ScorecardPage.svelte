<script lang="ts">
  import { setContext, tick, untrack } from 'svelte'
  import { push, replace, router } from 'svelte-spa-router'
  import { api, attempt, got, words } from '../../api/client'
  import type { Instrument, Kpi, Picture, Reading, Scope, Section, Yardstick } from '../../api/client'
  import { whenChanged } from '../../api/changes'
  import { letMembersBeRead, type Whole } from '../../faces/member-page'
  import Drawer from '../../parts/Drawer.svelte'
  import Tally from '../../parts/Tally.svelte'
  import { toggled } from '../../parts/toggled'
  import Workings, { type Asked } from '../../parts/Workings.svelte'
  import Assuming from './Assuming.svelte'
  import Bench from './Bench.svelte'
  import * as compose from './compose'
  import CardBench from './CardBench.svelte'
  import Grid from '../../parts/page/Grid.svelte'
  import { askedOf, grabs, takeOut, tick as tickStep } from './reach'
  import EmptyPart from './EmptyPart.svelte'
  import BenchTab from './BenchTab.svelte'
  import PageHead from './PageHead.svelte'
  import PageScope from './PageScope.svelte'
  import PageTold from './PageTold.svelte'
  import { PeriodSteps } from './period_steps'
  import * as address from './scorecard_address'
  import { SheetSelection } from './sheet_selection.svelte'
  import UnderTally from './UnderTally.svelte'
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
  const sheets = new SheetSelection(() => session)
  const selected = $derived(sheets.selected)
  let asked = $state<(Asked & { named: string }) | null>(null)
  let kpis = $state<Kpi[]>([])
  let yardsticks = $state<Yardstick[]>([])
  let failed = $state('')
  let height = $state(Number(localStorage.getItem('bench-height')) || 300)
  let pressed = false
  /** Where the page was before it read a member that was pressed. */
  let back = $state('')

  const query = $derived(new URLSearchParams(router.querystring ?? ''))
  /** The part of it that says what is read, which stays the same while anything else changes. */
  const scoped = $derived(address.scopedPart(query))
  /** Reading another month or other members is kept in the address, so that reload and back work. */
  const fromAddress = $derived(address.scopeIn(scoped))

  $effect(() => {
    const opened = session
    opened.open()
    return () => void opened.flush()
  })
  $effect(() => {
    const scope = bench ? null : fromAddress
    session.reading = scope
    session.assume = address.assumedIn(scoped, () => session.picture?.assumptions ?? [])
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
  const addressOf = (scope: Scope | null, how: '' | 'bench' | 'present' = bench ? 'bench' : '') =>
    address.addressOf({ id: params.id, scope, how, lit, turned, assume: session.assume })

  const steps = new PeriodSteps(() => session, addressOf)
  // The periods beside the one that is opened are at hand before anybody steps to them.
  const opened = $derived(!bench && card && !card.waiting ? params.id : '')
  $effect(() => {
    if (!opened) return
    const timer = setTimeout(() => steps.ahead(-1, 1), AHEAD_MS)
    return () => clearTimeout(timer)
  })
  function keys(event: KeyboardEvent) {
    if (bench) session.history.keys(event)
    else if (!asked) steps.keys(event)
  }
  setContext('notes', () => session.picture?.notes ?? [])
  const pictures = $derived(
    Object.fromEntries((card?.instruments ?? []).map((picture): [string, Picture] => [picture.id, picture])),
  )
  const texts = $derived(Object.fromEntries((card?.texts ?? []).map((text) => [text.id, text])))
  const chosen = $derived((body?.sections ?? []).flatMap(standing).find((item) => item.id === selected))
  function scopeTo(scope: Scope) {
    if (bench) return session.change('change the scope', (draft) => (draft.scope = scope))
    push(addressOf(scope))
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
      sheets.choose(await compose.add(session, section, kpi, yardstick))
    })
  const remove = (id: string) => sheets.remove(id, pictures[id]?.title || 'a sheet')
  function leaving(event: BeforeUnloadEvent) {
    if (session.saving === 'saved' || session.conflict) return
    void session.flush()
    event.preventDefault()
  }
  const plain = <T,>(value: T) => $state.snapshot(value) as T
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
  oncopy={(event) => bench && sheets.copy(event)}
  onpaste={(event) => bench && sheets.paste(event)}
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
      <PageHead {session} {body} {card} {bench} present={addressOf(fromAddress, 'present')} />

      <JustMade id={session.id} version={session.version} />
      <PageTold {session} bind:failed />

      {#if card && body}
        <PageScope
          {card}
          {session}
          change={scopeTo}
          own={!bench && fromAddress ? `/scorecards/${params.id}` : ''}
          {back}
          gone={() => (back = '')}
        />
        {#if card.tally.length}
          <Tally tally={card.tally} press={bench ? undefined : press} pressed={lit} />
        {/if}
        {#if !bench}
          <UnderTally wanted={card.wanted.length} {lit} {away} {moved} {press} seen={() => (moved = [])} />
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
            write={(kind) => sheets.choose(compose.addWords(session, held.id, kind))}
          />
          {#if standing(held).length && !folded(held)}
            <Grid
              section={held}
              {pictures}
              {texts}
              {bench}
              {selected}
              picked={sheets.picked}
              select={(id, also) => sheets.choose(id, also)}
              reach={(id) => !sheets.gathering && sheets.choose(id)}
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
              carry={(id, way) => compose.carry(session, sheets.together(id), way)}
              drop={(id, section, at) => compose.carryTo(session, sheets.together(id), section, at)}
              {remove}
            />
          {:else if bench && !standing(held).length}
            <EmptyPart section={held.id} />
          {/if}
        {:else}
          <EmptyPart
            add={bench ? () => compose.addSection(session) : undefined}
            bench="#/scorecards/{params.id}/bench"
          />
        {/each}
      {:else if !session.problem}
        <p class="soft">Reading…</p>
      {/if}
    </main>
    {#if bench && card}
      <Drawer label="Bench" key="bench-height" bind:height low={!chosen}>
        {#snippet tab()}
          <BenchTab {session} {sheets} {close} />
        {/snippet}
        {#if chosen}
          {#key chosen.id}
            {#if !isInstrument(chosen)}
              <WordsBench
                {session}
                item={chosen}
                drawn={texts[chosen.id]}
                {kpis}
                copy={() => sheets.choose(compose.duplicate(session, chosen.id))}
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
                copy={() => sheets.choose(compose.duplicate(session, chosen.id))}
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
</style>
