<script lang="ts">
  /** What was said about a KPI, period by period. */
  import { api, got, type Schemas } from '../../api/client'
  import Note from '../../parts/Note.svelte'

  let { kpi }: { kpi: string } = $props()
  const FEW = 5
  let notes = $state<Schemas['NotePicture'][]>([])
  let all = $state(false)
  $effect(() => {
    got(api.GET('/api/notes', { params: { query: { kpi } } })).then(
      (found) => (notes = found),
      () => (notes = []), // the page itself says that the server is away
    )
  })
</script>

{#if notes.length}
  <section class="sheet pad">
    <h2 class="minor">Notes</h2>
    {#each all ? notes : notes.slice(0, FEW) as note (note.id)}<article><Note {note} dated /></article>{/each}
    {#if notes.length > FEW}
      <button class="act quiet" onclick={() => (all = !all)}
        >{all ? 'Fewer' : `${notes.length - FEW} more`}</button
      >
    {/if}
  </section>
{/if}

<style>
  .pad {
    padding: 12px 14px;
  }
  article {
    padding: 8px 0;
    border-top: 1px solid var(--rule);
  }
  h2 + article {
    border-top: none;
  }
</style>
