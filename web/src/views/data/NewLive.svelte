<script lang="ts">
  import { push } from 'svelte-spa-router'
  import FolderForm from './FolderForm.svelte'
  import LiveForm from './LiveForm.svelte'

  let what = $state<'table' | 'folder'>('table')
  const made = (dataset: { id: string }) => push(`/data/${dataset.id}`)
</script>

<main class="page">
  <div class="top">
    <div>
      <h1>A live source</h1>
      <p class="sentence">Its rows stay where they are; Iron Mark asks for their sums.</p>
    </div>
    <a class="act" href="#/data">Leave it</a>
  </div>
  <div class="which" role="group" aria-label="Where its rows are">
    <button class="act" aria-pressed={what === 'table'} onclick={() => (what = 'table')}
      >A table of a database</button
    >
    <button class="act" aria-pressed={what === 'folder'} onclick={() => (what = 'folder')}
      >A folder of files</button
    >
  </div>
  {#if what === 'table'}<LiveForm done={made} />{:else}<FolderForm done={made} />{/if}
</main>

<style>
  .which {
    display: flex;
    gap: 8px;
    margin: 4px 0 12px;
  }
  .which [aria-pressed='true'] {
    background: var(--accent-tint);
    border-color: var(--accent);
    color: var(--accent-strong);
  }
</style>
