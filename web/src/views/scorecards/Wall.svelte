<script lang="ts">
  /** The sheets of a screen, each where the wall has room for it. Nothing on it is pressed. */
  import type { Picture, Placed, Schemas } from '../../api/client'
  import PictureSheet from '../../parts/page/PictureSheet.svelte'
  import Sheet from '../../parts/page/Sheet.svelte'
  import TextSheet from '../../parts/page/TextSheet.svelte'
  import { isInstrument, isText } from '../../parts/page/layout'
  import type { Screen } from './wall'

  interface Props {
    screen: Screen
    items: Record<string, Placed>
    pictures: Record<string, Picture>
    texts: Record<string, Schemas['TextPicture']>
  }
  let { screen, items, pictures, texts }: Props = $props()
</script>

<div class="stage" style:zoom={screen.zoom}>
  {#each screen.places as place (place.id)}
    {@const item = items[place.id]!}
    <section
      role="group"
      class="sheet item"
      data-instrument={item.id}
      aria-label={isInstrument(item)
        ? pictures[item.id]?.title
        : isText(item)
          ? 'Text'
          : item.alt || 'Picture'}
      style="left:{place.x}px;top:{place.y}px;width:{place.width}px;height:{place.height}px"
    >
      {#if isInstrument(item)}<Sheet
          instrument={item}
          picture={pictures[item.id]}
          open={() => undefined}
          still
        />
      {:else if isText(item)}<TextSheet picture={texts[item.id]} bench={false} />
      {:else}<PictureSheet picture={item} bench={false} />{/if}
    </section>
  {/each}
</div>

<style>
  /* What is read from afar takes the room there is: figures are larger, rows higher, and names stand on two lines. */
  .stage {
    --tallest: 58px;
    --names: normal;
    position: relative;
    flex: 1;
    min-height: 0;
  }
  .item {
    position: absolute;
    container: sheet / inline-size;
    display: flex;
    flex-direction: column;
    padding: 10px 13px 11px;
    overflow: hidden;
    pointer-events: none;
  }
  .item :global(h3) {
    -webkit-line-clamp: none;
    line-clamp: none;
    overflow: visible;
  }
</style>
