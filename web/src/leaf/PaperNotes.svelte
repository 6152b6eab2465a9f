<script lang="ts">
  /** The notes of a page in full, at its end: by state, the worst first. */
  import type { Schemas } from '../api/client'
  import Note from '../parts/Note.svelte'

  let { notes }: { notes: Schemas['NotePicture'][] } = $props()
</script>

<div class="notes">
  {#each notes as note (note.id)}<article><Note {note} dated /></article>{/each}
</div>

<style>
  .notes {
    columns: 2 360px;
    column-gap: 28px;
  }
  article {
    break-inside: avoid;
    margin-bottom: 14px;
  }
</style>
