<script lang="ts">
  /** A file dropped, or cells pasted, anywhere on a page that takes rows: looked at before anything is kept. */
  import { push } from 'svelte-spa-router'
  import { looking } from './looking.svelte'

  let over = $state(false)
  const holdsFiles = (event: DragEvent) => !!event.dataTransfer?.types.includes('Files')
  /** Something of the page has its own use for what is dropped or pasted there. */
  const taken = (event: Event) =>
    event.defaultPrevented ||
    !!(event.target as HTMLElement).closest?.(
      'input, textarea, [contenteditable], [role=region], [role=dialog]',
    )

  function look(file: File) {
    looking.file = file
    void push('/data/new/table')
  }
  function dropped(event: DragEvent) {
    over = false
    const file = event.dataTransfer?.files[0]
    if (!file || taken(event)) return
    event.preventDefault()
    look(file)
  }
  function pasted(event: ClipboardEvent) {
    if (taken(event)) return
    const held = event.clipboardData
    const file = held?.files[0]
    const html = held?.getData('text/html') ?? ''
    const text = held?.getData('text/plain') ?? ''
    // Cells have tabs between them, and more than one line; anything else is no table.
    if (file && /\.(csv|tsv|txt|xlsx?|ods|html?)$/i.test(file.name)) look(file)
    else if (/<table/i.test(html)) look(new File([html], 'Pasted cells.html', { type: 'text/html' }))
    else if (text.includes('\t') && text.trim().includes('\n')) look(new File([text], 'Pasted cells.tsv'))
    else return
    event.preventDefault()
  }
</script>

<svelte:window
  ondragover={(event) => {
    if (!holdsFiles(event)) return
    event.preventDefault()
    over = true
  }}
  ondragleave={(event) => (over = event.relatedTarget !== null)}
  ondrop={dropped}
  onpaste={pasted}
/>
{#if over}<p class="drop-told" role="status">Drop the table: it is looked at before anything is kept.</p>{/if}

<style>
  .drop-told {
    position: fixed;
    inset: auto 0 24px;
    z-index: 80;
    width: fit-content;
    margin: 0 auto;
    padding: 10px 18px;
    border: 2px dashed var(--accent);
    border-radius: 4px;
    background: var(--sheet);
    box-shadow: var(--lift);
    pointer-events: none;
  }
</style>
