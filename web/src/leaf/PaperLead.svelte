<script lang="ts">
  /** What stands before the first section: title, period, edition, its note and its tally. */
  import Tally from '../parts/Tally.svelte'
  import type { Told } from './told'

  let { told }: { told: Told } = $props()
</script>

<header>
  <h1>{told.title}</h1>
  <p class="sentence">
    {told.heading}{#if told.edition?.words}. {told.edition.words}{/if}
  </p>
  {#if told.edition?.state === 'withdrawn'}<p class="aside-note">Withdrawn: {told.edition.why}</p>{/if}
  {#if told.edition?.note}<p class="note-text">{told.edition.note}</p>{/if}
  {#if told.picture.tally.length}<div class="tallied"><Tally tally={told.picture.tally} /></div>{/if}
  {#if told.picture.changed}<p class="small soft">{told.picture.changed}</p>{/if}
</header>

<style>
  header {
    padding-bottom: 12px;
  }
  .note-text {
    max-width: 90ch;
    margin: 2px 0 10px;
    white-space: pre-line;
  }
  .tallied {
    margin-bottom: 4px;
  }
</style>
