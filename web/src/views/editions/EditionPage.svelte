<script lang="ts">
  /** One edition: beside another one or now, its covering note, what it can be taken out as, and who may read it. */
  import { may } from '../../api/me.svelte'
  import { push, router } from 'svelte-spa-router'
  import { api, attempt, got, seen, words, type Schemas } from '../../api/client'
  import { when } from '../../api/days'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import TakeOut from '../../parts/TakeOut.svelte'
  import Differences from './Differences.svelte'
  import SentTo from './SentTo.svelte'
  import EditionRow from './EditionRow.svelte'
  import Links from './Links.svelte'
  import OpenKnowingly from './OpenKnowingly.svelte'
  import Withdraw from './Withdraw.svelte'
  import { restated, type Edition } from './told'

  let { params }: { params: { id: string } } = $props()
  let held = $state.raw<Schemas['EditionPage'] | null>(null)
  /** What it is laid beside, by the address; nothing where the page is shown as it was. */
  const asked = $derived(new URLSearchParams(router.querystring ?? '').get('beside') ?? '')
  const shown = $derived(asked ? 'differs' : 'page')
  const beside = $derived(asked || 'now')
  let editions = $state.raw<Edition[]>([])
  let found = $state.raw<Schemas['SideBySide'] | null>(null)
  let failed = $state('')
  let missing = $state('')
  let title = $state('')
  let note = $state('')

  const edition = $derived(held?.edition ?? null)
  const path = $derived({ key: params.id })
  async function load(id: string) {
    const key = { params: { path: { key: id } } }
    held = await got(api.GET('/api/editions/{key}', key))
    title = held.edition.title
    note = held.edition.note
    const query = { scorecard: held.edition.scorecard }
    editions = await got(api.GET('/api/editions', { params: { query } }))
  }
  $effect(() => {
    held = found = null
    missing = failed = ''
    load(params.id).catch((error) => (missing = words(error)))
  })
  $effect(() => {
    const query = { with: beside }
    found = null
    got(api.GET('/api/editions/{key}/compare', { params: { path, query } })).then(
      (answer) => (found = answer),
      (error) => (failed = words(error)),
    )
  })
  /** What was just found beside now holds before it is counted by itself. */
  const counted = (one: Edition): Edition =>
    found && beside === 'now' && one.id === params.id ? { ...one, restated: found.restated } : one
  const others = $derived([
    { key: 'now', name: 'the same page now' },
    ...editions
      .filter((one) => one.id !== params.id)
      .map((one) => ({ key: one.id, name: `edition ${one.number}`, note: one.period_label })),
  ])
  const besideName = $derived(others.find((one) => one.key === beside)?.name ?? 'the same page now')
  const sections = $derived(
    (held?.body.sections ?? []).map((one) => ({ key: one.id, name: one.title || 'without a title' })),
  )
  const sheets = $derived((held?.picture.instruments ?? []).map((one) => ({ key: one.id, name: one.title })))
  const act = (work: () => Promise<unknown>) =>
    attempt(
      async () => {
        await work()
      },
      (said) => (failed = said),
    )
  const publish = () =>
    act(async () => {
      await keep()
      await got(api.POST('/api/editions/{key}/publish', { params: { path } }))
      await load(params.id)
    })
  const withdraw = (why: string) =>
    act(async () => {
      await got(api.POST('/api/editions/{key}/withdraw', { params: { path }, body: { why } }))
      await load(params.id)
    })
  const drop = () =>
    act(async () => {
      const header = seen(edition!.version)
      await got(api.DELETE('/api/editions/{key}', { params: { path, header } }))
      await push('/editions')
    })
  const openToAll = (opened: boolean) =>
    act(async () => {
      await got(api.PUT('/api/editions/{key}/open', { params: { path }, body: { opened } }))
      await load(params.id)
    })
  const restate = () =>
    act(async () => {
      const body = {
        scorecard: edition!.scorecard,
        scope: held!.scope,
        title: edition!.title,
        note: edition!.note,
        restates: edition!.id,
      }
      const made = await got(api.POST('/api/editions', { body }))
      await push(`/editions/${made.id}`)
    })
  /** Keep the title and the covering note of a draft. */
  let keeping: Promise<void> = Promise.resolve()
  // Leaving a field and pressing a button come at once: each waits for what was begun before.
  const keep = () => (keeping = keeping.catch(() => undefined).then(kept))
  async function kept() {
    if (!edition || edition.state !== 'draft' || (title === edition.title && note === edition.note)) return
    const body = { title: title.trim() || edition.title, note }
    const header = seen(edition.version)
    const changed = await got(api.PUT('/api/editions/{key}', { params: { path, header }, body }))
    held = { ...held!, edition: changed }
  }
</script>

{#if missing}
  <main class="page">
    <h1>This edition is gone</h1>
    <p class="sentence">{missing} Go to the <a class="slot" href="#/editions">editions</a>.</p>
  </main>
{:else if edition && held}
  <main class="page">
    <div class="top">
      <div>
        <h1>{edition.title}, edition {edition.number}</h1>
        <p class="sentence">
          {edition.period_label} as {edition.state === 'draft' ? 'drafted' : 'published'} on
          <span>{when(edition.published_at ?? edition.made_at)}</span>{#if shown === 'page'}.
            <a class="slot" href="#/editions/{edition.id}?beside=now"
              >{found ? `${found.restated} of ${found.counted} readings differ now` : 'What differs now'}</a
            >{:else}, beside
            <Slot text={besideName} label="Beside">
              {#snippet children(close)}
                <Choices
                  choices={others}
                  chosen={beside}
                  choose={(key) => {
                    close()
                    void push(`/editions/${params.id}?beside=${key}`)
                  }}
                />
              {/snippet}
            </Slot>; or <a class="slot" href="#/editions/{edition.id}">the page as it was</a>
          {/if}
        </p>
      </div>
      <div class="acts">
        <SentTo edition={edition.id} scorecard={edition.scorecard} />
        {#if shown === 'page'}
          {#if editions.length > 1}
            <Slot text="Others" label="Other editions" width={260}>
              {#snippet children()}
                <nav class="others" aria-label="Editions of this scorecard">
                  {#each editions as one (one.id)}<EditionRow
                      edition={counted(one)}
                      here={one.id === edition.id}
                    />{/each}
                </nav>
              {/snippet}
            </Slot>
          {/if}
          <Slot text="Take out" label="Take out" width={290}>
            {#snippet children()}
              <div class="panel"><TakeOut of={{ edition: edition.id }} {sheets} {sections} /></div>
            {/snippet}
          </Slot>
          {#if may('make')}<Slot text="Share" label="Share" width={300}>
              {#snippet children()}
                <div class="panel">
                  <OpenKnowingly {edition} open={openToAll} />
                  {#key edition.id}<Links of={{ edition: edition.id }} />{/key}
                </div>
              {/snippet}
            </Slot>{/if}
        {/if}
        {#if !may('make')}{''}{:else if edition.state === 'draft'}
          <button class="act" onclick={drop}>Throw away</button>
          <button class="act main" onclick={publish}>Publish</button>
        {:else}
          {#if edition.state === 'published' && counted(edition).restated}
            <button class="act" onclick={restate}>Make one that restates it</button>
          {/if}
          {#if edition.state === 'published'}
            <Withdraw {withdraw} />
          {/if}
        {/if}
      </div>
    </div>
    {#if failed}<p class="note" role="alert">{failed}</p>{/if}
    {#if edition.state === 'withdrawn'}
      <p class="note">
        <b
          >Withdrawn on {when(edition.withdrawn_at!)}{edition.withdrawn_by
            ? ` by ${edition.withdrawn_by}`
            : ''}:</b
        >
        {edition.why}
      </p>
    {/if}
    {#if shown === 'page'}
      {#if edition.state === 'draft'}
        <section class="sheet middle draft">
          <h2>Covering note</h2>
          {@render covering()}
        </section>
      {/if}
      <iframe
        class="sheet"
        class:low={edition.state === 'draft'}
        title="{edition.title}, edition {edition.number}"
        src="/api/editions/{edition.id}/leaf?version={edition.version}"
      ></iframe>
    {:else}
      <div class="columns">
        <nav class="sheet list" aria-label="Editions of this scorecard">
          <h2>Editions</h2>
          {#each editions as one (one.id)}<EditionRow
              edition={counted(one)}
              here={one.id === edition.id}
            />{/each}
        </nav>
        <div class="sheet middle">
          {#if found}<Differences
              {found}
              names={beside === 'now'
                ? [edition.state === 'draft' ? 'Drafted' : 'Published', 'Now']
                : [`Edition ${edition.number}`, besideName[0]!.toLocaleUpperCase() + besideName.slice(1)]}
              kept={beside !== 'now' ? '' : edition.state === 'draft' ? 'as drafted' : 'as published'}
            />
          {:else if !failed}<p class="soft">Laying both side by side…</p>{/if}
          <h2 class="covering">Covering note</h2>
          {@render covering()}
        </div>
        <aside>
          <section class="sheet panel">
            <h2>Take out</h2>
            <TakeOut of={{ edition: edition.id }} {sheets} {sections} />
          </section>
          <section class="sheet panel">
            <h2>Shared</h2>
            {#key edition.id}<Links of={{ edition: edition.id }} />{/key}
          </section>
        </aside>
      </div>
    {/if}
  </main>
{:else}
  <main class="page"><p class="soft">Reading…</p></main>
{/if}

{#snippet covering()}
  {#if edition}
    {#if edition.state === 'draft'}
      <input
        class="type-in"
        aria-label="Title"
        maxlength="120"
        bind:value={title}
        onchange={() => act(keep)}
      />
      <textarea
        class="type-in"
        aria-label="Covering note"
        rows="4"
        maxlength="20000"
        bind:value={note}
        onchange={() => act(keep)}
        placeholder="What the reader should know first: what happened, and what is done about it."></textarea>
    {:else if edition.note}<p class="said">{edition.note}</p>
    {:else}<p class="soft">It was published without one.</p>{/if}
    <p class="small soft">
      made {when(edition.made_at)}{edition.made_by ? ` by ${edition.made_by}` : ''}{edition.by_clock
        ? ', by the calendar'
        : ''}{restated(counted(edition)) ? ` · ${restated(counted(edition))}` : ''}
    </p>
  {/if}
{/snippet}

<style>
  .acts {
    display: flex;
    align-items: center;
    gap: 12px;
  }
  .columns {
    display: grid;
    grid-template-columns: 210px minmax(0, 1fr) 250px;
    gap: 12px;
    align-items: start;
  }
  .list {
    overflow: hidden;
  }
  .list h2,
  .panel h2 {
    padding: 12px 14px 8px;
  }
  .panel {
    padding: 0 14px 10px;
    margin-bottom: 12px;
  }
  .panel h2 {
    padding-left: 0;
  }
  .middle {
    padding: 14px 16px 16px;
  }
  .draft {
    margin-bottom: 12px;
  }
  .others {
    max-height: 60vh;
    overflow: auto;
  }
  .covering {
    margin: 18px 0 6px;
  }
  .said {
    max-width: 80ch;
    margin-bottom: 6px;
    white-space: pre-line;
  }
  textarea {
    margin: 6px 0;
  }
  iframe {
    display: block;
    width: 100%;
    height: calc(100vh - 152px);
    min-height: 420px;
  }
  .low {
    height: calc(100vh - 360px);
  }
  @media (max-width: 1000px) {
    .columns {
      grid-template-columns: minmax(0, 1fr);
    }
    .list {
      max-height: 220px;
      overflow: auto;
    }
  }
</style>
