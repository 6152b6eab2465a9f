<script lang="ts">
  /** Take a file: choose or drop it, say which sheet, see how far it is, stop it. */
  import { words } from '../../api/client'
  import { Sending, sheetsOf } from './upload.svelte'

  interface Props {
    label: string
    aim?: Parameters<Sending['send']>[1]
    main?: boolean
    done: (dataset: string) => void
  }
  let { label, aim = {}, main = false, done }: Props = $props()
  const sending = new Sending()
  let busy = $state(false)
  let failed = $state('')
  let pending = $state<{ file: File; sheets: string[] } | null>(null)
  let picker = $state<HTMLInputElement | null>(null)

  /** A workbook with several sheets is asked about first; anything else is read at once. */
  export async function take(files: FileList | null | undefined) {
    const file = files?.[0]
    if (!file || busy) return
    failed = ''
    pending = null
    try {
      const sheets = await sheetsOf(file)
      if (sheets.length) pending = { file, sheets }
      else await send(file)
    } catch (error) {
      failed = words(error)
    } finally {
      if (picker) picker.value = ''
    }
  }
  async function send(file: File, sheet?: string) {
    busy = true
    failed = ''
    pending = null
    try {
      const made = await sending.send(file, { ...aim, sheet })
      if (made && !sending.said) done(made)
    } catch (error) {
      failed = words(error)
    } finally {
      busy = false
    }
  }
</script>

<div class="take">
  {#if !busy}
    <button class="act" class:main onclick={() => picker?.click()}>{label}</button>
  {/if}
  <input
    bind:this={picker}
    type="file"
    class="sr-only"
    tabindex="-1"
    accept=".csv,.tsv,.txt,.xlsx,.ods,.json,.parquet,text/csv"
    aria-label="File to upload"
    onchange={(event) => take(event.currentTarget.files)}
  />
  {#if busy}
    <div class="going small" role="status">
      <span>{sending.stage}…</span>
      <progress max="1" value={sending.share} aria-label="How far it is"></progress>
      <button class="act" onclick={() => sending.stop()}>Stop</button>
    </div>
  {/if}
  {#if sending.said && !busy}<p class="aside-note" role="status">{sending.said}.</p>{/if}
  {#if failed}<p class="note" role="alert">{failed}</p>{/if}
  {#if pending}
    <div class="aside-note ask" role="group" aria-label="Which sheet">
      <b>Which sheet of {pending.file.name}?</b>
      {#each pending.sheets as sheet (sheet)}
        <button class="act" onclick={() => pending && send(pending.file, sheet)}>{sheet}</button>
      {/each}
      <button class="act quiet" onclick={() => (pending = null)}>None of them</button>
    </div>
  {/if}
</div>

<style>
  .take {
    display: flex;
    flex-direction: column;
    gap: 6px;
    align-items: flex-start;
  }
  .going,
  .ask {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
  }
  progress {
    width: 120px;
    accent-color: var(--accent);
  }
</style>
