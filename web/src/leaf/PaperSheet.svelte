<script lang="ts">
  /** One sheet of a page on paper. */
  import type { CardPicture, Placed } from '../api/client'
  import PictureSheet from '../views/scorecards/PictureSheet.svelte'
  import Sheet from '../views/scorecards/Sheet.svelte'
  import TextSheet from '../views/scorecards/TextSheet.svelte'
  import { isInstrument, isText } from '../views/scorecards/layout'

  let { item, picture }: { item: Placed; picture: CardPicture } = $props()
  const drawn = $derived(picture.instruments.find((one) => one.id === item.id))
  const text = $derived(picture.texts.find((one) => one.id === item.id))
</script>

{#if isInstrument(item)}<Sheet instrument={item} picture={drawn} open={() => undefined} />
{:else if isText(item)}<TextSheet picture={text} bench={false} />
{:else}<PictureSheet picture={item} bench={false} />{/if}
