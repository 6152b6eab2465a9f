<script lang="ts">
  /** Where the day begins: what changed, what is late, what is asked for, and every scorecard at a glance. */
  import { known, may } from '../../api/me.svelte'
  import DropAnywhere from '../../parts/DropAnywhere.svelte'
  import { push } from 'svelte-spa-router'
  import { api, got, seen, words, type Schemas } from '../../api/client'
  import { whenChanged } from '../../api/changes'
  import { now } from '../../api/clock'
  import { writtenAs } from '../../api/numbers'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import { InView } from '../../parts/inview.svelte'
  import { toggled } from '../../parts/toggled'
  import { touch } from '../../parts/touch.svelte'
  import { emptyCard } from '../scorecards/compose'
  import AskedOfYou from './AskedOfYou.svelte'
  import ChangedList from './ChangedList.svelte'
  import ScorecardCard from './ScorecardCard.svelte'
  import Inbox from './Inbox.svelte'
  import FirstMinute from './FirstMinute.svelte'
  import { ago } from './ago'
  import { lookedBefore, pins } from './looked'

  const opened = now()
  const looked = lookedBefore(opened)
  let front = $state.raw<Schemas['Front'] | null>(null)
  let failed = $state('')
  let unread = $state('') // why it shows what was; gone with the next reading
  let pinned = $state(pins.get())
  let against = $state<'look' | 'period'>(looked ? 'look' : 'period')
  let folder = $state<string | null>(null)
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
  let inbox = $state.raw<Schemas['Inbox'] | null>(null)
  const loadInbox = () =>
    got(api.GET('/api/inbox')).then(
      (found) => (inbox = found),
      () => undefined, // the front page says that the server is away
    )
  void loadInbox()
  $effect(() => whenChanged(load, undefined, loadInbox))
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

{#if may('make')}<DropAnywhere />{/if}
<main class="page">
  {#if front && !front.cards.length}
    {@render said()}
    {#if may('make')}<FirstMinute {create} />{:else}
      <h1>Nothing is opened to you yet</h1>
      <p class="sentence">
        You are signed in as {known()?.name}. Ask an owner, or whoever keeps a scorecard, to open it to you.
      </p>
    {/if}
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
      {#if may('make')}<div class="acts">
          <a class="act" href="#/rows">From rows</a>
          <button class="act main" onclick={create}>New scorecard</button>
        </div>{/if}
    </div>
    {@render said()}

    {#if front}
      <div class="two" class:alone={!asked}>
        <div class="told">
          <ChangedList {front} />
          {#if inbox?.messages.length}<Inbox {inbox} reload={loadInbox} />{/if}
        </div>
        {#if asked}
          <AskedOfYou {front} />
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
          {#if folder && known()?.signs_in && may('make')}
            <a class="act" href="#/people/folder/{encodeURIComponent(folder)}">Who reads it</a>
          {/if}
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
          <ScorecardCard
            {card}
            place={view.first * columns + i + 1}
            of={cards.length}
            pinned={pinned.includes(card.id)}
            folder={folder === null}
            pin={() => pin(card.id)}
            copy={() => copy(card)}
            remove={() => remove(card)}
          />
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
  .told {
    display: grid;
    gap: 12px;
  }
  .two.alone {
    grid-template-columns: minmax(0, 1fr);
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
  .cards {
    display: grid;
    grid-template-columns: repeat(var(--columns), minmax(0, 1fr));
    grid-auto-rows: var(--high);
    gap: 12px;
  }
  .took {
    position: sticky; /* seen where the card was, however far down */
    top: 52px;
    z-index: 30;
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
    .top > div:first-child {
      flex-basis: 100%;
    }
  }
</style>
