<script lang="ts">
  /** A sheet of words, with the figures of readings among them; or one that lists the notes of the page. */
  import type { Schemas } from '../../api/client'
  import Words from '../Words.svelte'

  let { picture, bench }: { picture: Schemas['TextPicture'] | undefined; bench: boolean } = $props()
</script>

<div class="words">
  {#if picture?.blocks.length}<Words blocks={picture.blocks} named={bench} />
  {:else if bench}<p class="soft">Empty. Choose it and write below.</p>{/if}
  {#if bench}
    {#each picture?.problems ?? [] as problem (problem)}<p class="wrong small">{problem}</p>{/each}
  {/if}
</div>

<style>
  .words {
    flex: 1;
    min-height: 0;
    overflow: hidden auto;
  }
</style>
