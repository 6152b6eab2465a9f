<script lang="ts">
  /** A dataset whose rows are read by the clock. */
  import { push } from 'svelte-spa-router'
  import { words } from '../../api/client'
  import ClockSentence from './ClockSentence.svelte'
  import OriginFields from './OriginFields.svelte'
  import { fresh, type Change } from './clock'
  import { Sending } from './upload.svelte'

  let body = $state.raw<Change>(fresh())
  let name = $state('')
  let failed = $state('')
  let busy = $state(false)
  const sending = new Sending()
  const usual = $derived.by(() => {
    const { origin } = body
    if (origin.kind === 'folder') return origin.folder.split('/').at(-1) ?? 'Rows'
    if (origin.kind === 'source') return 'Picture'
    const file =
      origin.url
        .replace(/[?#].*/, '')
        .split('/')
        .at(-1) ?? ''
    return file.replace(/\.\w+$/, '') || 'Rows'
  })
  const ready = $derived(
    body.origin.kind === 'address'
      ? body.origin.url
      : body.origin.kind === 'folder'
        ? body.origin.folder
        : body.origin.dataset,
  )
  async function make() {
    busy = true
    failed = ''
    try {
      const id = await sending.read({ ...body, name: name.trim() || usual })
      if (id) await push(`/data/${id}`)
    } catch (error) {
      failed = words(error)
    } finally {
      busy = false
    }
  }
</script>

<main class="page">
  <div class="top">
    <div>
      <h1>Rows by the clock</h1>
      <p class="sentence">Read now, kept here, and read anew by themselves from then on.</p>
    </div>
    <a class="act" href="#/data">Leave it</a>
  </div>
  <form
    class="sheet pad"
    onsubmit={(event) => {
      event.preventDefault()
      void make()
    }}
  >
    <OriginFields {body} change={(next) => (body = next)} />
    <label class="name"
      >Call it <input class="type-in" maxlength="120" placeholder={usual} bind:value={name} /></label
    >
    <ClockSentence {body} change={(next) => (body = next)} />
    <p class="small soft">
      Each time rows have changed they are a version of their own. What is held back is told here, and shown
      once somebody says so.
    </p>
    {#if busy}
      <p class="small" role="status">
        {sending.stage} <button class="act" type="button" onclick={() => sending.stop()}>Stop it</button>
      </p>
    {:else}
      <button class="act main" disabled={!ready}>Read it now and keep it</button>
    {/if}
    {#if failed}<p class="note" role="alert">{failed}</p>{/if}
  </form>
</main>

<style>
  .pad {
    padding: 14px;
    display: grid;
    gap: 10px;
    justify-items: start;
    max-width: 760px;
  }
  .name {
    width: 260px;
  }
</style>
