<script lang="ts">
  /** Watches: each a sentence, with what it would have sent beside what it has. */
  import { push, router } from 'svelte-spa-router'
  import { api, got, seen, words } from '../../api/client'
  import { may } from '../../api/me.svelte'
  import { whenChanged } from '../../api/changes'
  import { when } from '../../api/days'
  import Delete from '../../parts/Delete.svelte'
  import { Draft, fresh, type Watch } from './draft.svelte'
  import SentList from './SentList.svelte'
  import TryOut from './TryOut.svelte'
  import WatchSentence from './WatchSentence.svelte'
  import { calledWords } from './words'

  let list = $state.raw<Watch[] | null>(null)
  let failed = $state('')
  let turn = $state(0)
  const draft = new Draft()
  /** As the address has it: what a route hands over comes a moment later. */
  const id = $derived(router.location.split('/')[2] ?? '')
  const making = $derived(id === 'new')
  const chosen = $derived(making ? null : (list?.find((one) => one.id === id) ?? null))
  const called = $derived(calledWords(draft.body, draft.choices))

  async function load() {
    try {
      list = await got(api.GET('/api/watches'))
      failed = ''
      turn++
    } catch (error) {
      failed = words(error)
    }
  }
  void load()
  $effect(() => whenChanged(load, undefined, load))

  let held = ''
  $effect(() => {
    const key = making ? `new ${router.querystring ?? ''}` : (chosen?.id ?? '')
    if (!key || key === held) return
    held = key
    if (making) draft.begin(fresh(new URLSearchParams(router.querystring ?? '')), null)
    else if (chosen) draft.begin(chosen.body, chosen)
  })
  $effect(() => {
    // Without one that is named the first is shown; with none at all a new one is.
    if (!making && list && !id) void push(list.length ? `/watches/${list[0]!.id}` : '/watches/new')
  })

  async function save() {
    const made = await draft.save(called)
    if (draft.failed) return
    await load()
    if (made) {
      held = made
      await push(`/watches/${made}`)
    }
  }
  async function pause() {
    draft.body = { ...draft.body, paused: !draft.body.paused }
    await save()
  }
  async function remove() {
    if (!draft.kept) return
    const params = { path: { key: draft.kept.id }, header: seen(draft.kept.version) }
    try {
      await got(api.DELETE('/api/watches/{key}', { params }))
      held = ''
      await load()
      await push('/watches')
    } catch (error) {
      draft.failed = words(error)
    }
  }
  const sentWords = (one: Watch) =>
    one.body.paused
      ? 'paused'
      : one.sent && one.last
        ? `${one.sent} sent this year · last ${when(one.last).split(',')[0]}`
        : 'nothing sent so far'
</script>

<main class="page">
  <div class="top">
    <div>
      <h1 class="sr-only">{draft.body.name || called}</h1>
      <input
        class="page-title"
        aria-label="What the watch is called"
        maxlength="120"
        placeholder={called}
        value={draft.body.name}
        onchange={(event) => draft.change({ name: event.currentTarget.value.trim() })}
      />
      <p class="sentence">
        {#if draft.kept}Kept by {draft.kept.whose || 'you'}, looked at when data, marks or yardsticks change{:else}A
          watch tells you when it matters, and only then{/if}
      </p>
    </div>
    {#if may('own')}<a class="act" href="#/watches/sending">Sending</a>{/if}
    {#if draft.kept}
      <Delete name={draft.kept.body.name} {remove} />
      <button class="act" onclick={pause}>{draft.body.paused ? 'Go on' : 'Pause'}</button>
      {#if !draft.changed}<a class="act main" href="#/watches/new">New watch</a>{/if}
    {/if}
    {#if draft.changed || making}<button class="act main" onclick={save}
        >{draft.kept ? 'Save changes' : 'Keep this watch'}</button
      >{/if}
  </div>
  {#if failed || draft.failed}<p class="note gap" role="alert">{failed || draft.failed}</p>{/if}
  {#if chosen?.said}<p class="note gap" role="alert">It cannot be answered now: {chosen.said}</p>{/if}
  <div class="three" class:alone={!list?.length}>
    {#if list?.length}
      <nav class="sheet list" aria-label="Watches">
        <h2>Watches</h2>
        {#each list as one (one.id)}
          <a href="#/watches/{one.id}" aria-current={one.id === id ? 'page' : undefined}>
            <span class="line"
              ><b>{one.body.name}</b>{#if one.unsent}<span class="chip">not sent</span>{/if}</span
            >
            <span class="small soft">{one.unsent || sentWords(one)}</span>
            {#if !one.mine}<span class="small soft">of {one.whose}</span>{/if}
          </a>
        {/each}
      </nav>
    {/if}
    <section class="sheet asks">
      <WatchSentence {draft} />
      {#if draft.untried}<p class="note" role="alert">{draft.untried}</p>{/if}
      {#if draft.tried}<TryOut tried={draft.tried} />{:else if !draft.untried}<p class="soft">
          Reading…
        </p>{/if}
    </section>
    {#if draft.kept}<SentList watch={draft.kept.id} {turn} />{/if}
  </div>
</main>

<style>
  .three {
    display: grid;
    grid-template-columns: 250px minmax(0, 1fr) 290px;
    gap: 12px;
    align-items: start;
  }
  .three.alone {
    grid-template-columns: minmax(0, 1fr);
  }
  .three:not(.alone):not(:has(> :nth-child(3))) {
    grid-template-columns: 250px minmax(0, 1fr);
  }
  .list {
    display: grid;
    padding: 14px 0 6px;
  }
  .list h2 {
    padding: 0 14px 8px;
  }
  .list a {
    display: grid;
    gap: 1px;
    padding: 9px 14px 9px 11px;
    border-left: 3px solid transparent;
    border-top: 1px solid var(--rule);
  }
  .list a[aria-current] {
    border-left-color: var(--accent);
    background: var(--accent-tint);
  }
  .line {
    display: flex;
    justify-content: space-between;
    gap: 6px;
  }
  .chip {
    font-size: 12px;
    font-weight: 640;
    padding: 0 6px;
    border-radius: 3px;
    white-space: nowrap;
    background: var(--near-tint);
    color: var(--near-word);
  }
  .asks {
    padding: 14px;
    min-width: 0;
  }
  @media (max-width: 1000px) {
    .three,
    .three:not(.alone):not(:has(> :nth-child(3))) {
      grid-template-columns: minmax(0, 1fr);
    }
    .list {
      order: 3;
    }
  }
</style>
