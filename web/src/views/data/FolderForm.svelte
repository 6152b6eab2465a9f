<script lang="ts">
  /** A folder on the server whose Parquet or CSV files are read where they are. */
  import { api, attempt, got, type Dataset, type Schemas } from '../../api/client'

  let { done }: { done: (dataset: Dataset) => void } = $props()
  let found = $state<Schemas['Folders'] | null>(null)
  let folder = $state('')
  let name = $state('')
  let failed = $state('')
  const refusable = (work: () => Promise<unknown>) => attempt(work, (said) => (failed = said))
  void refusable(async () => {
    found = await got(api.GET('/api/datasets/folders'))
    folder = found.folders[0] ?? ''
  })
  const usual = $derived(folder === '.' ? 'Rows' : (folder.split('/').at(-1) ?? ''))
  const keep = () =>
    refusable(async () => {
      const body = { folder, name: name.trim() || usual }
      done((await got(api.POST('/api/datasets/folder', { body }))) as Dataset)
    })
</script>

<form
  class="sheet pad"
  onsubmit={(event) => {
    event.preventDefault()
    if (folder) void keep()
  }}
>
  {#if found && !found.may}
    <p>
      No folder may be read yet. Whoever runs the server names those that may, with all below them:
      <code>./run --folder /srv/rows</code>
    </p>
  {:else if found && !found.folders.length}
    <p>There are no Parquet or CSV files in the folders that may be read. Put some there, then come back.</p>
  {:else if found}
    <div class="fields">
      <label
        >Folder <select class="type-in" bind:value={folder}>
          {#each found.folders as one (one)}<option value={one}
              >{one === '.' ? 'the folder itself' : one}</option
            >{/each}
        </select></label
      >
      <label>Call it <input class="type-in" maxlength="120" placeholder={usual} bind:value={name} /></label>
    </div>
    <p class="small soft">
      All files of the folder are one table, Parquet or CSV, also in folders called key=value. New files are
      noticed within a minute.
    </p>
    <button class="act main" disabled={!folder}>Read it from there</button>
  {/if}
  {#if failed}<p class="note" role="alert">{failed}</p>{/if}
</form>

<style>
  .pad {
    padding: 14px;
    display: grid;
    gap: 10px;
    justify-items: start;
    max-width: 720px;
  }
  .fields {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 8px 14px;
    width: 100%;
  }
</style>
