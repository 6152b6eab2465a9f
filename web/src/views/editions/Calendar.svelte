<script lang="ts">
  /** Editions by the calendar: standing orders, when each comes, what holds one back, and lists of holidays. */
  import { api, attempt, got, Refusal, seen, type Schemas } from '../../api/client'
  import { when } from '../../api/days'
  import { zoneHere } from '../data/clock'
  import Delete from '../../parts/Delete.svelte'
  import PickFile from '../../parts/PickFile.svelte'
  import Order from './Order.svelte'

  type Held = Schemas['StandingOut']
  let orders = $state.raw<Held[] | null>(null)
  let cards = $state.raw<{ key: string; name: string }[]>([])
  let holidays = $state.raw<Schemas['HolidaysOut'][]>([])
  let draft = $state.raw<Schemas['StandingBody'] | null>(null)
  let failed = $state('')
  let named = $state('')

  async function load() {
    const [standing, found, lists] = await Promise.all([
      got(api.GET('/api/standing')),
      got(api.GET('/api/scorecards')),
      got(api.GET('/api/holidays')),
    ])
    orders = standing
    cards = found.map((card) => ({ key: card.id, name: card.body.title }))
    holidays = lists
  }
  const act = (work: () => Promise<unknown>) =>
    attempt(
      async () => {
        await work()
        await load()
      },
      (said) => (failed = said),
    )
  void act(async () => undefined)

  const begin = () =>
    (draft = {
      scorecard: cards[0]?.key ?? '',
      every: 'month',
      nth: 3,
      days: 'working',
      at: '07:00',
      zone: zoneHere(),
      holidays: null,
      complete: true,
      missed: 'every',
      more: [],
      book: '',
      publish: false,
      members: {},
      note: '',
    })
  const keep = () =>
    act(async () => {
      await got(api.POST('/api/standing', { body: draft! }))
      draft = null
    })
  const change = (order: Held, body: Schemas['StandingBody']) =>
    act(() =>
      got(
        api.PUT('/api/standing/{key}', {
          params: { path: { key: order.id }, header: seen(order.version) },
          body,
        }),
      ),
    )
  const goOn = (order: Held, how: 'make' | 'skip') => {
    const params = { path: { key: order.id }, query: { period: order.next[0]!.period } }
    return act(async () => {
      if (how === 'make') await got(api.POST('/api/standing/{key}/make', { params }))
      else await got(api.POST('/api/standing/{key}/skip', { params }))
    })
  }
  const end = (order: Held) =>
    act(() =>
      got(
        api.DELETE('/api/standing/{key}', {
          params: { path: { key: order.id }, header: seen(order.version) },
        }),
      ),
    )
  const take = (files: FileList | null) =>
    act(async () => {
      if (!files?.[0]) return
      const body = new FormData()
      body.append('file', files[0])
      body.append('name', named.trim() || files[0].name.replace(/\.[^.]*$/, ''))
      await got(api.POST('/api/holidays', { body: body as never, bodySerializer: (form) => form as never }))
      named = ''
    })
  /** A list in use is deleted only once it is known which orders go by it. */
  let used = $state.raw<{ key: string; said: string } | null>(null)
  const drop = (key: string, anyway = false) =>
    act(async () => {
      used = null
      try {
        await got(api.DELETE('/api/holidays/{key}', { params: { path: { key }, query: { anyway } } }))
      } catch (error) {
        if (!(error instanceof Refusal) || error.problem.status !== 409) throw error
        used = { key, said: error.problem.detail }
      }
    })
  let watches = $state.raw<Schemas['WatchOut'][]>([])
  got(api.GET('/api/watches')).then(
    (found) => (watches = found),
    () => undefined, // the page itself says that the server is away
  )
  const senders = (card: string) =>
    watches.filter((one) => one.body.asks === 'edition' && one.body.scorecard === card)
</script>

<main class="page">
  <div class="top">
    <div>
      <h1>Editions by the calendar</h1>
      <p class="sentence">
        Made by themselves, each once. A time that was missed is caught up when the server is back.
      </p>
    </div>
    <a class="act" href="#/editions">All editions</a>
    {#if cards.length && !draft}<button class="act main" onclick={begin}>New standing order</button>{/if}
  </div>
  {#if failed}<p class="note" role="alert">{failed}</p>{/if}
  {#if draft}
    <section class="sheet">
      <Order body={draft} {cards} {holidays} change={(body) => (draft = body)} />
      <p class="acts">
        <button class="act main" onclick={keep}>Keep it</button>
        <button class="act quiet" onclick={() => (draft = null)}>Cancel</button>
      </p>
    </section>
  {/if}
  {#each orders ?? [] as order (order.id)}
    <section class="sheet">
      <Order body={order.body} {cards} {holidays} change={(body) => change(order, body)} />
      {#if order.said}
        <p class="note">{order.said}</p>
        <p class="acts">
          <button class="act" onclick={() => goOn(order, 'make')}>Make it as it is</button>
          <button class="act quiet" onclick={() => goOn(order, 'skip')}
            >Go on without {order.next[0]!.of}</button
          >
        </p>
      {/if}
      <p class="small soft">
        Next: {order.next.map((due) => `${due.of} on ${when(due.at)}`).join(' · ')}
        {#if order.made}· <a class="link" href="#/editions/{order.made}">the last one</a>{/if}
        · {#each senders(order.body.scorecard) as one (one.id)}sent by
          <a class="link" href="#/watches/{one.id}">{one.body.name}</a>{:else}<a
            class="link"
            href="#/watches/new?scorecard={order.body.scorecard}&asks=edition">have it sent</a
          >{/each}
        <button class="act quiet" onclick={() => end(order)}>End it</button>
      </p>
    </section>
  {/each}
  {#if orders && !orders.length && !draft}
    <p class="sentence">
      There is no standing order. One makes an edition of a scorecard every month, say on the third working
      day at seven, once the data is complete.
      {#if !cards.length}Make a <a class="link" href="#/scorecards">scorecard</a> first.{/if}
    </p>
  {/if}

  <h2>Holidays</h2>
  <p class="small soft">
    A CSV with a date such as 2026-12-25 in each line, or an iCalendar file. Working days are Monday to Friday
    without them.
  </p>
  <ul>
    {#each holidays as list (list.id)}
      <li>
        <b>{list.name}</b>
        <span class="small soft">{list.days.length} days, {list.days[0]} to {list.days.at(-1)}</span>
        {#if used?.key === list.id}
          <span class="note" role="alert">{used.said}</span>
          <button class="act" onclick={() => drop(list.id, true)}>Delete it all the same</button>
          <button class="act quiet" onclick={() => (used = null)}>Keep it</button>
        {:else}<Delete name={list.name} quiet remove={() => drop(list.id)} />{/if}
      </li>
    {/each}
  </ul>
  <p class="acts">
    <input
      class="type-in named"
      aria-label="What the list is called"
      maxlength="120"
      placeholder="Name"
      bind:value={named}
    />
    <PickFile label="Take a list" name="File of holidays" accept=".csv,.ics,text/csv,text/calendar" {take} />
  </p>
</main>

<style>
  section {
    padding: 12px 16px;
    margin-bottom: 12px;
  }
  h2 {
    margin-top: 22px;
  }
  li {
    display: flex;
    align-items: baseline;
    gap: 10px;
    padding: 4px 0;
  }
  .acts {
    display: flex;
    gap: 10px;
    margin-top: 8px;
  }
  .named {
    width: 200px;
  }
</style>
