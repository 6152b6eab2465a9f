<script lang="ts">
  /** A file that left: from which edition it is, and whether a figure in it was changed. */
  import { api, attempt, got, type Schemas } from '../../api/client'
  import PickFile from '../../parts/PickFile.svelte'

  let found = $state.raw<Schemas['Checked'] | null>(null)
  let name = $state('')
  let failed = $state('')
  let busy = $state(false)
  const KINDS: Record<string, string> = {
    pdf: 'PDF',
    pptx: 'Slides',
    xlsx: 'Spreadsheet',
    csv: 'Readings as CSV',
    json: 'JSON',
    html: 'One file for the browser',
    png: 'PNG',
    svg: 'SVG',
  }
  const TOLD: Record<Schemas['Checked']['found'], [string, string]> = {
    as_it_left: ['✓', 'As it left'],
    changed: ['≠', 'Changed'],
    uncertain: ['≈', 'Its figures agree'],
    unknown: ['?', 'Not from here'],
    unmarked: ['?', 'No edition'],
  }
  async function check(file: File | undefined) {
    if (!file) return
    busy = true
    found = null
    failed = ''
    name = file.name
    await attempt(
      async () => {
        const form = new FormData()
        form.append('file', file)
        const asked = { body: form as never, bodySerializer: (given: unknown) => given as never }
        found = await got(api.POST('/api/editions/check', asked))
      },
      (said) => (failed = said),
    )
    busy = false
  }
</script>

<main class="page">
  <div class="top">
    <div>
      <h1>Check a file</h1>
      <p class="sentence">
        Every form that an edition leaves in carries its number, its checksum and a seal. Choose one, or drop
        it here: it is told from which edition it is, and whether a figure in it was changed. Nothing of it is
        kept.
      </p>
    </div>
    <a class="act" href="#/editions">All editions</a>
  </div>
  <section
    class="sheet"
    role="group"
    aria-label="A file to check"
    ondragover={(event) => event.preventDefault()}
    ondrop={(event) => {
      event.preventDefault()
      event.stopPropagation()
      void check(event.dataTransfer?.files[0])
    }}
  >
    <PickFile
      label={busy ? 'Checking…' : 'Choose a file'}
      name="File to check"
      accept=".pdf,.pptx,.xlsx,.zip,.json,.html,.png,.svg"
      main
      disabled={busy}
      take={(files) => void check(files?.[0])}
    />
    {#if failed}<p class="note" role="alert">{name}: {failed}</p>{/if}
    {#if found}
      <div role="status" class="told {found.found}">
        <h2><span class="sign" aria-hidden="true">{TOLD[found.found][0]}</span> {TOLD[found.found][1]}</h2>
        <p class="small soft">{name} · {KINDS[found.kind] ?? found.kind}</p>
        <p>{found.said}</p>
        {#if found.differences?.length}
          <ul>
            {#each found.differences as line (line)}<li>{line}</li>{/each}
            {#if found.more}<li class="soft">and {found.more} more</li>{/if}
          </ul>
        {/if}
        {#if found.edition && found.title}
          <p><a class="link" href="#/editions/{found.edition}">Open edition {found.number}</a></p>
        {/if}
      </div>
    {/if}
  </section>
</main>

<style>
  section {
    padding: 16px 18px;
    max-width: 860px;
  }
  .told {
    margin-top: 14px;
    padding: 12px 16px;
    border-left: 4px solid var(--rule);
    background: var(--sunk);
    display: grid;
    gap: 6px;
  }
  .told.changed {
    border-left-color: var(--near);
    background: var(--note);
  }
  .told.as_it_left {
    border-left-color: var(--accent);
  }
  h2 {
    display: flex;
    gap: 8px;
  }
  .sign {
    width: 18px;
    text-align: center;
  }
  ul {
    margin: 0;
    padding-left: 18px;
    list-style: disc;
    overflow-wrap: anywhere;
  }
</style>
