<script lang="ts">
  /** One sheet alone, as wide and high as it stands on its page. */
  import { standing, GAP } from '../views/scorecards/layout'
  import PaperSheet from './PaperSheet.svelte'
  import { tall } from './paper'
  import type { Told } from './told'

  let { told }: { told: Told } = $props()
  const WIDE = 1240 // pixels of a page's content
  const item = $derived(
    (told.body.sections ?? []).flatMap(standing).find((placed) => placed.id === told.instrument),
  )
</script>

{#if item}
  <div
    class="sheet item"
    data-sheet={item.id}
    style:width="{((WIDE + GAP) / 12) * item.w - GAP}px"
    style:height="{tall(item.h)}px"
  >
    <PaperSheet {item} picture={told.picture} />
  </div>
{/if}

<style>
  .item {
    container: sheet / inline-size;
    display: flex;
    flex-direction: column;
    padding: 10px 13px 11px;
    overflow: hidden;
  }
</style>
