<script lang="ts">
  /** One sheet alone, as wide and high as it stands on its page. */
  import { onMount, setContext } from 'svelte'
  import { standing, GAP } from '../parts/page/layout'
  import PaperSheet from './PaperSheet.svelte'
  import { growing, tall } from './paper'
  import type { Told } from './told'

  let { told, done }: { told: Told; done: () => void } = $props()
  setContext('paper', true) // nothing of it is scrolled
  let bed = $state<HTMLElement | null>(null)
  let grown = $state(0)
  const WIDE = 1240 // pixels of a page's content
  const item = $derived(
    (told.body.sections ?? []).flatMap(standing).find((placed) => placed.id === told.instrument),
  )
  onMount(async () => {
    await growing(
      () => (bed ? [bed] : []),
      (_, rows) => (grown = rows),
    )
    done()
  })
</script>

{#if item}
  <div
    bind:this={bed}
    class="sheet item whole"
    data-sheet={item.id}
    style:width="{((WIDE + GAP) / 12) * item.w - GAP}px"
    style:height="{tall(Math.max(item.h, grown))}px"
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
