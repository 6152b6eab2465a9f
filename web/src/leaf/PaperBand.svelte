<script lang="ts">
  /** Sheets that stay together on paper. */
  import type { CardPicture, Placed } from '../api/client'
  import { GAP } from '../parts/page/layout'
  import PaperSheet from './PaperSheet.svelte'

  interface Props {
    items: Placed[]
    /** The row of the grid that the band begins with. */
    top: number
    /** Pixels of a row. */
    row: number
    columns: number
    zoom: number
    picture: CardPicture
  }
  let { items, top, row, columns, zoom, picture }: Props = $props()
</script>

{#if items.length}
  <div
    class="band"
    style="--row:{row}px;--gap:{GAP}px;--columns:{columns}"
    style:zoom={zoom < 1 ? zoom : undefined}
  >
    {#each items as item (item.id)}
      <div
        class="sheet item"
        data-sheet={item.id}
        style="grid-column:{item.x + 1} / span {item.w};grid-row:{item.y - top + 1} / span {item.h}"
      >
        <PaperSheet {item} {picture} />
      </div>
    {/each}
  </div>
{/if}

<style>
  .band {
    display: grid;
    grid-template-columns: repeat(var(--columns), minmax(0, 1fr));
    grid-auto-rows: var(--row);
    gap: var(--gap);
    margin-bottom: var(--gap);
    break-inside: avoid;
  }
  .item {
    container: sheet / inline-size;
    display: flex;
    flex-direction: column;
    min-width: 0;
    min-height: 0;
    padding: 10px 13px 11px;
    overflow: hidden;
  }
</style>
