<script lang="ts">
  /** One sheet of a page on paper, or the part of its list that stands on one sheet of paper. */
  import type { CardPicture, Picture, Placed } from '../api/client'
  import { count } from '../api/numbers'
  import type { Part } from '../faces/names.svelte'
  import PictureSheet from '../parts/page/PictureSheet.svelte'
  import Sheet from '../parts/page/Sheet.svelte'
  import TextSheet from '../parts/page/TextSheet.svelte'
  import { isInstrument, isText } from '../parts/page/layout'

  interface Props {
    item: Placed
    picture: CardPicture
    from?: number
    to?: number
    /** Readings that stood in parts before this one, and of how many in all. */
    before?: number
    of?: number
    /** Of a list whose readings come in parts: those that are widest. */
    wide?: Picture['readings']
    /** Those that are drawn, to see how high they are. */
    some?: number[]
  }
  let { item, picture, from = 0, to, before = 0, of, wide = [], some }: Props = $props()
  const drawn = $derived(picture.instruments.find((one) => one.id === item.id))
  const text = $derived(picture.texts.find((one) => one.id === item.id))
  const part = $derived.by((): Picture | undefined => {
    if (!drawn || (to === undefined && !wide.length && !some)) return drawn
    const readings = some
      ? some.map((at) => drawn.readings[at]!)
      : to === undefined
        ? drawn.readings
        : drawn.readings.slice(from, to)
    const all = of ?? drawn.readings.length
    const title =
      readings.length < all && to !== undefined
        ? `${drawn.title}, ${count(before + from + 1)} to ${count(before + to)} of ${count(all)}`
        : drawn.title
    const found: Part = { ...drawn, title, readings, all: [...drawn.readings, ...wide], count: all }
    return found
  })
</script>

{#if isInstrument(item)}<Sheet instrument={item} picture={part} open={() => undefined} />
{:else if isText(item)}<TextSheet picture={text} bench={false} />
{:else}<PictureSheet picture={item} bench={false} />{/if}
