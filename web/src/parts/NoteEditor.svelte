<script lang="ts">
  /** The note on one reading: read, written, changed, taken back, and how it read before. */
  import { api, got, seen, words, type Schemas } from '../api/client'
  import { when } from '../api/days'
  import { draftOf, dropDraft, keepDraft } from './drafts.svelte'
  import FigureArea from './FigureArea.svelte'
  import Note from './Note.svelte'

  interface Props {
    of: Schemas['ReadingOf']
    /** Begin to write at once. */
    begin?: boolean
    written: () => void
  }
  let { of, begin = false, written }: Props = $props()
  let sheet = $state<Schemas['NoteSheet'] | null>(null)
  let text = $state<string | null>(null)
  /** What it is about, for what was typed and not kept. */
  const about = $derived(`note:${JSON.stringify(of)}`)
  let again = $state(false) // what stands in the field was typed before
  let history = $state<Schemas['NoteRevision'][] | null>(null)
  let failed = $state('')
  let busy = $state(false)
  let area = $state<HTMLTextAreaElement | null>(null)

  async function load(write: boolean) {
    try {
      sheet = await got(api.POST('/api/notes/about', { body: of }))
      const draft = draftOf<string>(about)
      if (draft) {
        text = draft.value
        again = true
      } else if (write && !sheet.note) text = ''
    } catch (error) {
      failed = words(error)
    }
  }
  $effect(() => void load(begin))
  $effect(() => area?.focus())

  function write(said: string) {
    text = said
    again = false
    if (said.trim() && said !== sheet?.note?.text) keepDraft(about, sheet?.version ?? 0, said)
    else dropDraft(about)
  }
  function leave() {
    text = null
    again = false
    dropDraft(about)
  }
  async function keep(said: string) {
    if (!sheet || busy) return
    busy = true
    failed = ''
    try {
      const params = { header: seen(sheet.version) }
      sheet = await got(api.PUT('/api/notes', { params, body: { ...of, text: said } }))
      leave()
      history = null
      written()
    } catch (error) {
      failed = words(error) // what was typed stays in the field
      // A newer one was written meanwhile: keeping once more then replaces it, knowingly.
      sheet = await got(api.POST('/api/notes/about', { body: of })).catch(() => sheet)
    }
    busy = false
  }
  async function look() {
    if (!sheet) return
    const path = { key: sheet.id }
    history = await got(api.GET('/api/notes/{key}/revisions', { params: { path } })).catch(() => [])
  }
</script>

<section class="note-of" aria-label="Note">
  <h2 class="minor">Note</h2>
  {#if sheet?.note}<Note note={sheet.note} headed={false} />{/if}
  {#if sheet && text !== null}
    <FigureArea label="Note" value={text} {write} bind:area />
    {#if again}<p class="small" role="status">You typed this earlier. It is not kept yet.</p>{/if}
    <p class="small soft">
      **bold**, *italics*, - lists, [link](https://…). An opening brace offers live figures.
    </p>
    <p class="acts">
      <button class="act main" disabled={!text.trim() || busy} onclick={() => keep(text ?? '')}
        >Keep the note</button
      >
      <button class="act quiet" onclick={leave}>Leave it</button>
      {#if sheet.offered && !text}
        <button class="act" onclick={() => write(sheet!.offered)}>Start from {sheet.of}</button>
      {/if}
    </p>
  {:else if sheet}
    <p class="acts">
      {#if sheet.note}
        <button class="act" onclick={() => (text = sheet!.note!.text)}>Change</button>
        <button class="act quiet" onclick={() => keep('')}>Take back</button>
      {:else}
        <button class="act" onclick={() => (text = '')}>Say why it is {sheet.shown}</button>
      {/if}
      {#if sheet.version > 1 && !history}
        <button class="act quiet" onclick={look}>How it read before</button>
      {/if}
    </p>
  {/if}
  {#if failed}<p class="wrong small" role="alert">{failed}</p>{/if}
  {#if history}
    <ol class="history">
      {#each history as form (form.version)}
        <li class="small">
          <span class="soft"
            >{[form.saved_by, when(form.saved_at), form.shown].filter(Boolean).join(' · ')}</span
          >
          {#if form.text}<p class="form">{form.text}</p>
            {#if form.version !== sheet?.version || !sheet.note}
              <button class="act quiet" onclick={() => write(form.text)}>Write this again</button>
            {/if}
          {:else}<p class="form soft">taken back</p>{/if}
        </li>
      {/each}
    </ol>
  {/if}
</section>

<style>
  .note-of {
    margin: 14px 0;
    padding-top: 10px;
    border-top: 1px solid var(--rule);
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin-top: 6px;
  }
  .history {
    margin-top: 10px;
    list-style: none;
  }
  .history li {
    margin-bottom: 8px;
  }
  .form {
    white-space: pre-line;
    overflow-wrap: anywhere;
  }
</style>
