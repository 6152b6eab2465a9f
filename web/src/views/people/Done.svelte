<script lang="ts">
  /** Who did what: the trail, read, searched and taken out. */
  import { push, router } from 'svelte-spa-router'
  import { api, got, words, type Schemas } from '../../api/client'
  import { when } from '../../api/days'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'

  const KINDS: [string, string][] = [
    ['', 'anything'],
    ['scorecard', 'scorecards'],
    ['kpi', 'KPIs'],
    ['yardstick', 'yardsticks'],
    ['marks', 'marks'],
    ['dataset', 'data'],
    ['edition', 'editions'],
    ['link', 'links'],
    ['note', 'notes'],
    ['account', 'accounts'],
    ['team', 'teams'],
    ['token', 'tokens'],
    ['sign-in', 'signing in'],
  ]
  const DAYS: [string, string][] = [
    ['', 'ever'],
    ['1', 'in the last day'],
    ['7', 'in the last week'],
    ['31', 'in the last month'],
  ]
  const KEPT = [90, 180, 365, 730, 1825, 3660]
  const query = $derived(new URLSearchParams(router.querystring ?? ''))
  const kind = $derived(query.get('kind') ?? '')
  const record = $derived(query.get('record') ?? '')
  const days = $derived(query.get('days') ?? '')
  const word = $derived(query.get('word') ?? '')
  let found = $state.raw<Schemas['TrailRow'][] | null>(null)
  let more = $state(false)
  let kept = $state(0)
  let failed = $state('')

  const asked = $derived.by(() => {
    const since = days
      ? new Date(Date.now() - Number(days) * 86_400_000).toISOString().slice(0, 10)
      : undefined
    return { kind: kind || undefined, record: record || undefined, since, word: word || undefined }
  })
  async function load(before?: number) {
    try {
      const page = await got(api.GET('/api/trail', { params: { query: { ...asked, before } } }))
      found = before ? [...(found ?? []), ...page.rows] : page.rows
      more = page.more
      kept = page.days
      failed = ''
    } catch (error) {
      failed = words(error)
    }
  }
  $effect(() => {
    void asked
    void load()
  })
  function choose(name: string, value: string) {
    const next = new URLSearchParams(query)
    if (value) next.set(name, value)
    else next.delete(name)
    if (name === 'kind') next.delete('record')
    void push(`/done?${next}`)
  }
  const file = $derived(
    `/api/trail/file?${new URLSearchParams(Object.entries(asked).filter(([, held]) => held) as [string, string][])}`,
  )
  async function keepFor(some: string) {
    await got(api.PUT('/api/trail/kept', { body: { days: Number(some) } })).catch(
      (error) => (failed = words(error)),
    )
    await load()
  }
  const years = (some: number) =>
    some >= 365 ? `${Math.round(some / 365)} ${some < 730 ? 'year' : 'years'}` : `${some} days`
  const TOLD: Record<string, string> = {
    marks: 'the marks of',
    kpi: 'the KPI',
    token: 'the token',
    team: 'the team',
    trail: '',
  }
  /** What was done, as one would say it. */
  function did(row: Schemas['TrailRow']) {
    if (row.kind === 'sign-in') return row.verb === 'failed' ? 'failed to sign in' : row.verb
    if (row.kind === 'account') {
      const verbs: Record<string, string> = {
        came: 'came in',
        tied: 'came by the directory for the first time',
        ended: 'ended the account of',
        changed: 'changed the account of',
        forgot: 'asked for a new password',
        'made a link': 'made a link for a new password of',
        'took back': 'took back the invitation of',
      }
      return verbs[row.verb] ?? row.verb
    }
    return `${row.verb} ${TOLD[row.kind] ?? `the ${row.kind}`}`
  }
  const place = (row: Schemas['TrailRow']) =>
    ({
      scorecard: 'scorecards',
      kpi: 'kpis',
      yardstick: 'yardsticks',
      dataset: 'data',
      edition: 'editions',
      marks: 'marks',
    })[row.kind]
</script>

{#snippet one(of: [string, string][], chosen: string, label: string, name: string)}
  <Slot text={of.find(([key]) => key === chosen)?.[1] ?? chosen} {label}>
    {#snippet children(close)}
      <Choices
        choices={of.map(([key, text]) => ({ key, name: text }))}
        {chosen}
        choose={(key) => {
          choose(name, key)
          close()
        }}
      />
    {/snippet}
  </Slot>
{/snippet}

<main class="page">
  <div class="top">
    <div>
      <h1>What was done</h1>
      <p class="sentence">
        To {@render one(KINDS, kind, 'To what', 'kind')}{#if record}, {found?.[0]?.name || record}
          <button class="act quiet" onclick={() => choose('record', '')}>all of them</button>{/if},
        {@render one(DAYS, days, 'When', 'days')}. It is kept for
        <Slot text={kept ? years(kept) : '…'} label="How long it is kept">
          {#snippet children(close)}
            <Choices
              choices={KEPT.map((some) => ({ key: String(some), name: years(some) }))}
              chosen={String(kept)}
              choose={(key) => {
                void keepFor(key)
                close()
              }}
            />
          {/snippet}
        </Slot>, and nobody changes it.
      </p>
    </div>
    <input
      class="type-in find"
      aria-label="Find a name in it"
      placeholder="Find a name"
      value={word}
      onchange={(event) => choose('word', event.currentTarget.value.trim())}
    />
    <a class="act" href={file} download>As CSV</a>
  </div>
  {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}
  <section class="sheet">
    {#each found ?? [] as row (row.number)}
      <div class="row">
        <span class="small soft">{when(row.at)}</span>
        <span
          ><b>{row.who || 'somebody'}</b>{#if row.address}<span class="small soft from">{row.address}</span
            >{/if}</span
        >
        <span>
          {did(row)}
          {#if row.name === row.who}{''}{:else if place(row) && row.record}<a
              class="name"
              href="#/{place(row)}/{row.record}">{row.name}</a
            >{:else}<b>{row.name}</b>{/if}
        </span>
        <span class="small">
          {#each row.changed.slice(0, 6) as change, at (at)}
            <span class="change"
              ><span class="soft">{change.what}:</span>
              {#if change.before}<s>{change.before}</s>{/if}
              {change.after || 'nothing'}</span
            >
          {/each}
          {#if row.changed.length > 6}<span class="soft">{row.changed.length - 6} more</span>{/if}
        </span>
      </div>
    {:else}
      <p class="soft">{found ? 'Nothing like that was done.' : 'Reading…'}</p>
    {/each}
    {#if more}<button class="act" onclick={() => load(found?.at(-1)?.number)}>Earlier ones</button>{/if}
  </section>
</main>

<style>
  section {
    padding: 4px 14px 14px;
  }
  .find {
    width: 190px;
  }
  .row {
    display: grid;
    grid-template-columns: 150px minmax(0, 0.8fr) minmax(0, 1.3fr) minmax(0, 1.9fr);
    gap: 14px;
    padding: 7px 0;
    border-bottom: 1px solid var(--rule);
    overflow-wrap: anywhere;
  }
  .from,
  .change {
    display: block;
  }
  .name {
    font-weight: 640;
  }
  .name:hover {
    color: var(--accent);
  }
  s {
    color: var(--soft);
  }
  .act {
    margin-top: 10px;
  }
  .top .act {
    margin-top: 0;
  }
  @media (max-width: 900px) {
    .row {
      grid-template-columns: minmax(0, 1fr);
      gap: 2px;
    }
  }
</style>
