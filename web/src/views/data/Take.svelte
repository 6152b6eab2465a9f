<script lang="ts">
  /** Take a file: choose or drop it, say which sheet, see how far it is, stop it. */
  import { push } from 'svelte-spa-router'
  import { Refusal, words } from '../../api/client'
  import { looking } from '../../parts/looking.svelte'
  import { Sending, lookAt, sheetsOf } from './upload.svelte'

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
  /** What no longer fits how the rows before were read. */
  let differs = $state<{ file: File; sheet?: string } | null>(null)
  let pending = $state<{ file: File; sheets: string[] } | null>(null)
  let picker = $state<HTMLInputElement | null>(null)

  /** A workbook with several sheets is asked about first; anything else is read at once. */
  export async function take(files: FileList | null | undefined) {
    const file = files?.[0]
    if (!file || busy) return
    failed = ''
    pending = null
    try {
      if (
        !aim.dataset &&
        !(await lookAt(file).then(
          (look) => look?.tidy ?? true,
          () => true,
        ))
      ) {
        looking.file = file // it is no plain list: what it is taken for is looked at first
        return await push('/data/new/table')
      }
      const sheets = await sheetsOf(file)
      if (sheets.length) pending = { file, sheets }
      else await send(file)
    } catch (error) {
      failed = words(error)
    } finally {
      if (picker) picker.value = ''
    }
  }
  async function send(file: File, sheet?: string, force = false) {
    busy = true
    failed = ''
    pending = differs = null
    try {
      const made = await sending.send(file, { ...aim, sheet, force })
      if (made && !sending.said) done(made)
    } catch (error) {
      failed = words(error).replace(/ Send force.*$/, '')
      if (error instanceof Refusal && error.problem.type === 'recipe-differs') differs = { file, sheet }
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
    accept=".csv,.tsv,.txt,.xlsx,.xls,.ods,.html,.json,.parquet,.zip,.gz,text/csv"
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
  {#if failed}<p class="note" role="alert">
      {failed}
      {#if differs}<button class="act" onclick={() => differs && send(differs.file, differs.sheet, true)}
          >Take it as it is read now</button
        >{/if}
    </p>{/if}
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
