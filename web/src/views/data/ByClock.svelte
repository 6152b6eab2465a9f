<script lang="ts">
  /** How a dataset is read by the clock and how that goes; with a question where something is held back. */
  import { onDestroy } from 'svelte'
  import { when } from '../../api/days'
  import { api, got, seen, words, type Dataset, type Schemas } from '../../api/client'
  import ClockSentence from './ClockSentence.svelte'
  import OriginFields from './OriginFields.svelte'
  import { fresh, type Change } from './clock'

  interface Props {
    dataset: Dataset
    /** Asked for from outside, where it is not read by the clock yet. */
    begin: boolean
    changed: () => void
    ended: () => void
  }
  let { dataset, begin, changed, ended }: Props = $props()
  let held = $state.raw<Schemas['RefreshOut'] | null>(null)
  let draft = $state.raw<Change | null>(null)
  let others = $state<Dataset[]>([])
  let failed = $state('')
  let timer: ReturnType<typeof setTimeout> | undefined
  const path = $derived({ key: dataset.id })
  const SOON_MS = 1000
  const LATER_MS = 20_000

  async function look() {
    clearTimeout(timer)
    try {
      const found = await got(api.GET('/api/datasets/{key}/refresh', { params: { path } }))
      if (found && held && (found.read_at !== held.read_at || found.state !== held.state)) changed()
      held = found
      if (found?.origin.kind === 'source' && !others.length) others = await got(api.GET('/api/datasets'))
      if (found) timer = setTimeout(look, found.state === 'running' ? SOON_MS : LATER_MS)
    } catch (error) {
      failed = words(error)
    }
  }
  $effect(() => {
    void dataset.id
    void look()
  })
  onDestroy(() => clearTimeout(timer))
  const shown = $derived<Change | null>(draft ?? (held ? { ...held, token: null } : begin ? fresh() : null))

  async function attempt(work: () => Promise<unknown>) {
    failed = ''
    try {
      await work()
    } catch (error) {
      failed = words(error)
    }
    await look()
  }
  const plain = (body: Change): Change => ({
    origin: body.origin,
    clock: body.clock,
    how: body.how,
    most_gone: body.most_gone,
    superseded: body.superseded,
    token: body.token,
  })
  const put = (body: Change) =>
    attempt(async () => {
      const params = { path, header: seen(held?.version ?? 0) }
      held = await got(api.PUT('/api/datasets/{key}/refresh', { params, body: plain(body) }))
      draft = null
    })
  const now = () => attempt(() => got(api.POST('/api/datasets/{key}/refresh/now', { params: { path } })))
  const answer = (use: boolean) =>
    attempt(async () => {
      await got(api.POST('/api/datasets/{key}/refresh/held', { params: { path }, body: { use } }))
      changed()
    })
  const stop = () =>
    attempt(async () => {
      await got(
        api.DELETE('/api/datasets/{key}/refresh', { params: { path, header: seen(held?.version ?? 0) } }),
      )
      held = draft = null
      ended()
    })
  const origin = $derived.by(() => {
    if (!held) return ''
    if (held.origin.kind === 'address') return held.origin.url
    if (held.origin.kind === 'folder') return `the folder ${held.origin.folder}`
    const key = held.origin.dataset
    return others.find((one) => one.id === key)?.name ?? 'a live source'
  })
</script>

{#if shown}
  <section class="sheet pad" aria-label="By the clock">
    <div class="head">
      <h2 class="minor">By the clock</h2>
      {#if held && !draft}
        <button class="act" disabled={held.state === 'running'} onclick={now}
          >{held.state === 'running' ? 'Reading…' : 'Read it now'}</button
        >
        <button class="act" onclick={() => (draft = { ...held!, token: null })}>From elsewhere</button>
        <button class="act" onclick={stop}>Stop reading it</button>
      {/if}
    </div>
    {#if draft || !held}
      <OriginFields body={shown} has_token={held?.has_token} change={(next) => (draft = next)} />
      <ClockSentence body={shown} change={(next) => (draft = next)} />
      <div class="acts">
        <button class="act main" onclick={() => put(shown)}>Read it by the clock</button>
        <button class="act" onclick={() => (held ? (draft = null) : ended())}>Leave it</button>
      </div>
    {:else}
      <ClockSentence body={shown} change={put} />
      <p class="small soft from">
        From {origin}. {held.read_at ? `Last read ${when(held.read_at)}; n` : 'N'}ext {when(held.due_at)}.
      </p>
      {#if held.state === 'failed'}
        <p class="note" role="alert">
          It could not be read{held.tries > 1 ? ` (${held.tries} times)` : ''}: {held.said} The rows are as they
          were.
        </p>
      {/if}
      {#if held.held !== null}
        <div class="note ask" role="alert">
          <p><b>New rows are held back.</b> {held.state === 'held' ? held.said : ''}</p>
          <div class="acts">
            <button class="act main" onclick={() => answer(true)}>Show the new rows</button>
            <button class="act" onclick={() => answer(false)}>Leave them aside</button>
          </div>
        </div>
      {/if}
    {/if}
    {#if failed}<p class="note" role="alert">{failed}</p>{/if}
  </section>
{/if}

<style>
  .pad {
    padding: 10px 14px;
    display: grid;
    gap: 8px;
    margin-bottom: 12px;
  }
  .head,
  .acts {
    display: flex;
    gap: 8px;
    align-items: center;
    flex-wrap: wrap;
  }
  .head h2 {
    flex: 1;
  }
  .from {
    overflow-wrap: anywhere;
  }
  .ask {
    display: grid;
    gap: 8px;
  }
</style>
