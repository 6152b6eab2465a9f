<script lang="ts">
  /** Where the day begins: what changed, what is late, what is asked for, and every scorecard at a glance. */
  import DropAnywhere from '../../parts/DropAnywhere.svelte'
  import { push } from 'svelte-spa-router'
  import { api, got, seen, words, type Schemas } from '../../api/client'
  import { whenChanged } from '../../api/changes'
  import { mediumDay, when } from '../../api/days'
  import { now } from '../../api/clock'
  import { writtenAs } from '../../api/numbers'
  import { stateOf } from '../../api/states.svelte'
  import Choices from '../../parts/Choices.svelte'
  import NoteSign from '../../parts/NoteSign.svelte'
  import Sign from '../../parts/Sign.svelte'
  import Slot from '../../parts/Slot.svelte'
  import { InView } from '../../parts/inview.svelte'
  import Tally from '../../parts/Tally.svelte'
  import { toggled } from '../../parts/toggled'
  import { touch } from '../../parts/touch.svelte'
  import { emptyCard } from '../scorecards/compose'
  import FirstMinute from './FirstMinute.svelte'
  import { ago, lookedBefore, pins } from './looked'
  import Stamps from '../../parts/Stamps.svelte'

  const opened = now()
  const looked = lookedBefore(opened)
  const FEW = 6
  let front = $state.raw<Schemas['Front'] | null>(null)
  let failed = $state('')
  let unread = $state('') // why it shows what was; gone with the next reading
  let pinned = $state(pins.get())
  let against = $state<'look' | 'period'>(looked ? 'look' : 'period')
  let folder = $state<string | null>(null)
  let all = $state(false)
  let allAsked = $state(false)
  let taken = $state<{ id: string; title: string } | null>(null)

  async function load() {
    try {
      const query = { first: pinned, ...(against === 'look' && looked ? { since: looked } : {}) }
      front = await got(api.GET('/api/front', { params: { query } }))
      unread = ''
    } catch (error) {
      unread = words(error)
    }
  }
  $effect(() => {
    void against
    void load()
  })
  $effect(() => whenChanged(load))
  // A scorecard that is new, or was changed just now, has no glance for a moment.
  $effect(() => {
    if (!front?.cards.some((card) => !card.glance && card.sheets)) return
    const timer = setTimeout(load, 1200)
    return () => clearTimeout(timer)
  })

  const told = $derived(looked ? ago(looked, opened, writtenAs()) : null)
  const title = $derived(
    against === 'look' && told
      ? told.title
      : front && front.previous !== 'the period before'
        ? `Since ${front.previous}`
        : 'Since the period before',
  )
  const folders = $derived(
    [...new Set((front?.cards ?? []).map((card) => card.folder).filter(Boolean))].sort((a, b) =>
      a.localeCompare(b),
    ),
  )
  const cards = $derived(
    (front?.cards ?? [])
      .filter((card) => folder === null || card.folder === folder)
      .sort((a, b) => Number(pinned.includes(b.id)) - Number(pinned.includes(a.id))),
  )
  const rows = $derived(all ? (front?.changed ?? []) : (front?.changed ?? []).slice(0, FEW))
  const periods = $derived([...new Set((front?.changed ?? []).map((row) => row.period_label))])
  const asked = $derived(
    (front?.late.length ?? 0) +
      (front?.wanted.length ?? 0) +
      (front?.drafts.length ?? 0) +
      (front?.held.length ?? 0),
  )

  const GAP = 12
  const LEAST = 285
  let shelf = $state<HTMLElement | null>(null)
  let wide = $state(1200)
  const columns = $derived(Math.max(1, Math.floor((wide + GAP) / (Math.min(LEAST, wide) + GAP))))
  /** All cards are as high as the drawing of their width and the words around it. */
  const high = $derived(
    Math.round(((wide - GAP * (columns - 1)) / columns - 28) * (119 / 288)) + (touch.current ? 216 : 172),
  )
  const view = new InView({
    count: () => Math.ceil(cards.length / columns),
    height: () => high + GAP,
    bed: () => null,
    list: () => shelf,
    all: 8,
    spare: 1,
  })

  const at = (card: string, sheet: string, key: string, write = false) =>
    `#/scorecards/${card}?${new URLSearchParams({ '-reading': `${sheet}/${key}`, ...(write ? { '-write': '1' } : {}) })}`
  const named = (state: string | null | undefined) => stateOf(state)?.name ?? 'not graded'

  function pin(id: string) {
    pinned = toggled(pinned, id)
    pins.set(pinned)
  }
  async function tried(work: () => Promise<unknown>) {
    failed = ''
    try {
      await work()
    } catch (error) {
      failed = words(error)
    }
  }
  const create = () =>
    tried(async () => {
      const made = await got(api.POST('/api/scorecards', { body: emptyCard('New scorecard') }))
      await push(`/scorecards/${made.id}/bench`)
    })
  const copy = (card: Schemas['Card']) =>
    tried(async () => {
      const params = { path: { key: card.id } }
      const held = await got(api.GET('/api/scorecards/{key}', { params }))
      const body = { ...held.body, title: `${held.body.title.slice(0, 108)} (copy)` }
      await got(api.POST('/api/scorecards', { body }))
      await load()
    })
  const remove = (card: Schemas['Card']) =>
    tried(async () => {
      const params = { path: { key: card.id }, header: seen(card.version) }
      await got(api.DELETE('/api/scorecards/{key}', { params }))
      taken = { id: card.id, title: card.title }
      await load()
    })
  const back = () =>
    tried(async () => {
      if (!taken) return
      await got(api.POST('/api/scorecards/{key}/back', { params: { path: { key: taken.id } } }))
      taken = null
      await load()
    })
</script>

{#snippet said()}
  {#if unread}<p class="note" role="alert">
      {unread} <button class="act quiet" onclick={load}>Try again</button>
    </p>{/if}
  {#if failed}<p class="note" role="alert">
      {failed} <button class="act quiet" onclick={() => (failed = '')}>Seen</button>
    </p>{/if}
  {#if taken}<p class="aside-note took" role="status">
      Deleted “{taken.title}”. <button class="act" onclick={back}>Take back</button>
    </p>{/if}
{/snippet}

<DropAnywhere />
<main class="page">
  {#if front && !front.cards.length}
    {@render said()}
    <FirstMinute {create} />
  {:else}
    <div class="top">
      <div>
        <h1>{title}</h1>
        <p class="sentence">
          What changed on {front ? `${front.cards.length} scorecards` : 'all scorecards'} since
          {#if looked}
            <Slot
              text={against === 'look' ? `you last looked, ${told?.words}` : 'the period before'}
              label="Since"
            >
              {#snippet children(close)}
                <Choices
                  choices={[
                    { key: 'look', name: `you last looked, ${told?.words}` },
                    { key: 'period', name: 'the period before', note: front?.previous },
                  ]}
                  chosen={against}
                  choose={(key) => {
                    against = key as typeof against
                    close()
                  }}
                />
              {/snippet}
            </Slot>.
          {:else}the period before.{/if}
        </p>
      </div>
      <div class="acts">
        <a class="act" href="#/rows">From rows</a>
        <button class="act main" onclick={create}>New scorecard</button>
      </div>
    </div>
    {@render said()}

    {#if front}
      <div class="two" class:alone={!asked}>
        <section class="sheet changed" aria-labelledby="changed">
          <div class="line">
            <h2 id="changed">Changed state</h2>
            <span class="small soft"
              >{front.changed.length + front.more} of {front.of} readings{periods.length === 1
                ? ` · ${periods[0]}`
                : ''}</span
            >
          </div>
          <ul class="rows">
            {#each rows as row (row.about)}
              <li>
                <a href={at(row.scorecard, row.sheet, row.key)}>
                  <span class="signs"
                    ><Sign state={row.before} /> <span aria-hidden="true">→</span>
                    <Sign state={row.state} /><span class="sr-only"
                      >{named(row.before)} to {named(row.state)}</span
                    ></span
                  >
                  <b class="name">{row.name}</b>
                  <b class="figure">{row.shown}</b>
                  <span class="soft">{row.against}</span>
                  <span class="soft small where"
                    >{row.title}{periods.length > 1 ? `, ${row.period_label}` : ''}</span
                  >
                </a>
                {#if row.note}<span class="word small soft" title={row.note}>“{row.note}”</span>
                {:else if row.wanted}<span class="word small"
                    ><a class="link" href={at(row.scorecard, row.sheet, row.key, true)}>Say why</a></span
                  >{:else}<span class="word"></span>{/if}
              </li>
            {:else}
              <li class="none soft">No reading changed its state.</li>
            {/each}
          </ul>
          {#if front.changed.length > FEW}
            <button class="act quiet more" onclick={() => (all = !all)}
              >{all ? 'Fewer' : `${front.changed.length - FEW} more`}</button
            >
          {/if}
        </section>
        {#if asked}
          <section class="sheet asked" aria-labelledby="asked">
            <h2 id="asked">Asked of you</h2>
            <ul>
              {#each front.wanted.slice(0, allAsked ? undefined : FEW) as one (one.scorecard)}
                <li>
                  <span
                    ><b>{one.count} {one.count === 1 ? 'reading' : 'readings'} without a word</b><br /><span
                      class="soft small">{one.title}, {one.period_label}</span
                    ></span
                  >
                  <a class="link" href={at(one.scorecard, one.sheet, one.key, true)}
                    ><NoteSign wanted /> Write</a
                  >
                </li>
              {/each}
              {#each front.held as one (one.id)}
                <li>
                  <span
                    ><b>An edition is held</b><br /><span class="soft small"
                      >{one.title || 'A scorecard that is gone'}: {one.said}</span
                    ></span
                  >
                  <a class="link" href="#/editions/calendar">Open</a>
                </li>
              {/each}
              {#each front.late as one (one.dataset)}
                <li>
                  <span
                    ><b>{one.name} is late</b><br /><span class="soft small"
                      >{one.said.replace(/\.$/, '')}. {one.kpis}
                      {one.kpis === 1 ? 'KPI waits' : 'KPIs wait'} for it</span
                    ></span
                  >
                  <a class="link" href="#/data/{one.dataset}">Open</a>
                </li>
              {/each}
              {#each front.drafts as one (one.id)}
                <li>
                  <span
                    ><b>Edition {one.number} waits to be published</b><br /><span class="soft small"
                      >{one.title}, {one.period_label}{one.restated
                        ? `; ${one.restated} restated since`
                        : ''}</span
                    ></span
                  >
                  <a class="link" href="#/editions/{one.id}">Look</a>
                </li>
              {/each}
            </ul>
            {#if front.wanted.length > FEW}
              <button class="act quiet more" onclick={() => (allAsked = !allAsked)}
                >{allAsked ? 'Fewer' : `${front.wanted.length - FEW} more without a word`}</button
              >
            {/if}
          </section>
        {/if}
      </div>

      <div class="line shelf">
        <h2>Scorecards</h2>
        {#if folders.length}
          <span class="sentence"
            >in <Slot text={folder === null ? 'every folder' : folder || 'no folder'} label="Folder">
              {#snippet children(close)}
                <Choices
                  choices={[
                    { key: '*', name: 'every folder' },
                    ...folders.map((name) => ({ key: `f:${name}`, name })),
                    { key: 'f:', name: 'no folder' },
                  ]}
                  chosen={folder === null ? '*' : `f:${folder}`}
                  choose={(key) => {
                    folder = key === '*' ? null : key.slice(2)
                    close()
                  }}
                />
              {/snippet}
            </Slot></span
          >
        {/if}
      </div>
      <ul
        class="cards"
        bind:this={shelf}
        bind:clientWidth={wide}
        style:--columns={columns}
        style:--high="{high}px"
        style:padding-top="{view.before}px"
        style:padding-bottom="{view.after}px"
      >
        {#each cards.slice(view.first * columns, view.last * columns) as card, i (card.id)}
          <li class="sheet card" aria-setsize={cards.length} aria-posinset={view.first * columns + i + 1}>
            <div class="line">
              <a class="title" href="#/scorecards/{card.id}"><h3>{card.title}</h3></a>
              <button
                class="pin small"
                aria-pressed={pinned.includes(card.id)}
                aria-label="{pinned.includes(card.id) ? 'Unpin' : 'Pin'} {card.title}"
                onclick={() => pin(card.id)}>{pinned.includes(card.id) ? 'pinned' : 'pin'}</button
              >
            </div>
            <a class="drawing" href="#/scorecards/{card.id}" tabindex="-1" aria-hidden="true"
              ><Stamps
                of={card.glance && `${card.id}/${card.glance}`}
                fetch={() =>
                  got(api.GET('/api/front/drawings/{key}', { params: { path: { key: card.id } } }))}
              /></a
            >
            {#if card.tally.length}<Tally tally={card.tally} thin brief />
            {:else if !card.sheets}<p class="small soft">
                Nothing is on it yet. <a class="link" href="#/scorecards/{card.id}/bench">Open the bench</a>
              </p>
            {:else}<p class="small soft">Being read…</p>{/if}
            <p class="small soft foot">
              <span>{card.period_label}{card.partial ? `, ${card.partial}` : ''}</span>
              <span
                >{card.tally.length ? (card.changed ? `${card.changed} changed` : 'none changed') : ''}</span
              >
            </p>
            <p class="small soft foot">
              <span class="last"
                >{[folder === null ? card.folder : '', card.owner].filter(Boolean).join(' · ')}<span
                  class="at"
                  title={when(card.updated_at)}
                  >changed {mediumDay(card.updated_at)}{card.saved_by ? ` by ${card.saved_by}` : ''}</span
                ></span
              >
              <span class="own">
                <button class="act quiet" aria-label="Copy {card.title}" onclick={() => copy(card)}
                  >Copy</button
                >
                <button class="act quiet" aria-label="Delete {card.title}" onclick={() => remove(card)}
                  >Delete</button
                >
              </span>
            </p>
          </li>
        {/each}
      </ul>
    {:else if !unread}<p class="soft">Reading…</p>{/if}
  {/if}
</main>

<style>
  .top {
    display: flex;
    align-items: flex-start;
    gap: 14px;
    margin-bottom: 12px;
  }
  .top > div:first-child {
    flex: 1;
  }
  .acts {
    display: flex;
    gap: 8px;
  }
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 300px;
    gap: 12px;
    align-items: start;
  }
  .two.alone {
    grid-template-columns: minmax(0, 1fr);
  }
  .changed,
  .asked {
    padding: 12px 14px;
  }
  .line {
    display: flex;
    align-items: baseline;
    justify-content: space-between;
    gap: 12px;
  }
  .shelf {
    justify-content: flex-start;
    margin: 18px 0 8px;
  }
  .shelf .sentence {
    margin: 0;
  }
  ul {
    list-style: none;
  }
  .rows {
    margin-top: 6px;
  }
  .rows li {
    display: flex;
    align-items: center;
    gap: 12px;
    border-top: 1px solid var(--rule);
  }
  .rows li:first-child {
    border-top: none;
  }
  .rows li > a {
    flex: 1;
    display: grid;
    grid-template-columns: 62px minmax(120px, 1.7fr) 80px minmax(120px, 1.2fr) minmax(110px, 1fr);
    gap: 12px;
    align-items: center;
    min-height: 33px;
    padding: 4px 0;
  }
  .rows li > a:hover .name {
    color: var(--accent);
  }
  .none {
    padding: 8px 0;
  }
  .figure {
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  .signs {
    display: inline-flex;
    align-items: center;
    gap: 4px;
    white-space: nowrap;
  }
  .where {
    line-height: 1.3;
  }
  .word {
    flex: 0 0 104px;
    text-align: right;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .rows:not(:has(.word.small)) .word {
    display: none;
  }
  .more {
    margin-top: 4px;
  }
  .asked li {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 12px;
    padding: 8px 0;
    border-top: 1px solid var(--rule);
    line-height: 1.35;
  }
  .asked li:first-child {
    border-top: none;
  }
  .asked .link {
    display: inline-flex;
    align-items: center;
    gap: 5px;
    white-space: nowrap;
    font-weight: 620;
  }
  .cards {
    display: grid;
    grid-template-columns: repeat(var(--columns), minmax(0, 1fr));
    grid-auto-rows: var(--high);
    gap: 12px;
  }
  .card {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 8px;
    padding: 10px 13px;
    align-content: start;
    overflow: hidden;
    contain: layout paint style;
  }
  .card .title {
    min-width: 0;
    flex: 1;
    overflow-wrap: anywhere;
    display: -webkit-box;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 2;
    line-clamp: 2;
    overflow: hidden;
  }
  .card .title:hover h3 {
    color: var(--accent);
  }
  .drawing {
    display: block;
    aspect-ratio: 288 / 119;
    overflow: hidden;
  }
  .pin {
    color: var(--soft);
    cursor: pointer;
    min-height: 24px;
    padding: 0 4px;
  }
  .pin[aria-pressed='true'] {
    color: var(--accent);
    font-weight: 640;
  }
  .foot {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 10px;
  }
  .foot + .foot {
    margin-top: -6px;
  }
  .last {
    min-width: 0;
    align-self: flex-start;
  }
  .last,
  .at {
    display: -webkit-box;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 3;
    line-clamp: 3;
    overflow: hidden;
  }
  .at {
    -webkit-line-clamp: 1;
    line-clamp: 1;
  }
  .own {
    display: inline-flex;
    gap: 8px;
  }
  .took {
    display: flex;
    align-items: center;
    gap: 12px;
    margin-bottom: 10px;
  }
  @media (max-width: 900px) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
  }
  @media (max-width: 600px) {
    .top {
      flex-wrap: wrap;
    }
    .rows li {
      flex-wrap: wrap;
    }
    .rows li > a {
      grid-template-columns: 58px minmax(0, 1fr) auto;
      row-gap: 0;
      min-height: 44px;
    }
    .rows li > a .soft {
      grid-column: 2 / -1;
    }
    .top > div:first-child {
      flex-basis: 100%;
    }
    .word:not(.small) {
      display: none;
    }
    .word {
      flex: 1 1 100%;
      text-align: left;
      padding: 6px 0 14px 70px;
      overflow: visible;
    }
    .pin,
    .card .title {
      display: inline-flex;
      align-items: center;
      min-height: 44px;
    }
    .card .line {
      margin: -8px 0;
      align-items: center;
    }
  }
</style>
