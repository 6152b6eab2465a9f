<script lang="ts">
  /** A section on paper: bands of sheets that stay together, and lists that run on over as many pages as they take. */
  import { onMount, tick } from 'svelte'
  import type { Section } from '../api/client'
  import { GAP, ROW, standing } from '../views/scorecards/layout'
  import PaperSheet from './PaperSheet.svelte'
  import { bandsOf, lacking, tall, type Room } from './paper'
  import type { Told } from './told'

  interface Props {
    told: Told
    section: Section
    room: Room
    /** Pixels that are taken on its first page. */
    taken: number
    done: () => void
  }
  let { told, section, room, taken, done }: Props = $props()
  let bed: HTMLElement
  let grown = $state<Record<string, number>>({})
  let zoom = $state(1)
  let row = $state(ROW)
  const PAGED = 1.06 // what is lost at the end of pages, where no row is cut
  const SHRINKS = 0.74 // further than that it runs on
  /** Pixels of a row, where there is room to draw larger. */
  const stretches = $derived(told.paper === 'wide' ? 54 : 44)
  const most = $derived(Math.floor((room.height - 90) / (ROW + GAP)))
  const bands = $derived(bandsOf(standing(section), grown, most))
  const words = $derived(told.picture.sections.find((note) => note.id === section.id)?.words ?? '')

  onMount(async () => {
    await document.fonts.ready
    for (let round = 0; round < 4; round++) {
      await tick()
      await new Promise((drawn) => requestAnimationFrame(() => requestAnimationFrame(drawn)))
      let more = false
      for (const sheet of bed.querySelectorAll<HTMLElement>('.band > .sheet')) {
        const lacks = lacking(sheet)
        if (!lacks) continue
        const id = sheet.dataset.sheet!
        const rows = Math.round((sheet.offsetHeight + GAP) / (ROW + GAP))
        // A slide is one page: what does not fit there is told.
        const wanted = rows + Math.ceil(lacks / (ROW + GAP))
        const given = told.mode === 'slides' ? Math.min(wanted, most) : wanted
        if (given <= rows) continue
        grown = { ...grown, [id]: given }
        more = true
      }
      if (!more) break
    }
    await tick()
    const high = bed.offsetHeight
    const fits = room.height - taken
    const whole = !bands.some((band) => band.long.length)
    if (high > fits && whole && fits / high > SHRINKS) zoom = (fits / high) * 0.99
    else if (high < fits && whole) {
      const rows = bands.reduce((sum, band) => sum + band.rows, 0)
      row = Math.min(stretches, ROW + Math.floor((fits - high - 4) / rows))
    }
    await tick()
    done()
  })
</script>

<section bind:this={bed} style:zoom>
  <h2>{section.title}<span class="soft small">{words}</span></h2>
  {#each bands as band (band.top)}
    {#if band.items.length}
      <div
        class="band"
        style="--row:{row}px;--gap:{GAP}px"
        style:zoom={tall(band.rows) > room.height - 40 ? (room.height - 40) / tall(band.rows) : undefined}
      >
        {#each band.items as item (item.id)}
          <div
            class="sheet item"
            data-sheet={item.id}
            style="grid-column:{item.x + 1} / span {item.w};grid-row:{item.y - band.top + 1} / span {item.h}"
          >
            <PaperSheet {item} picture={told.picture} />
          </div>
        {/each}
      </div>
    {/if}
    {#each band.long as item (item.id)}
      <div class="long" style:--needs="{Math.ceil(tall(grown[item.id] ?? item.h) * PAGED)}px">
        <PaperSheet {item} picture={told.picture} />
      </div>
    {/each}
  {/each}
</section>

<style>
  h2 {
    display: flex;
    align-items: baseline;
    gap: 12px;
    margin: 0 0 8px;
    break-after: avoid;
  }
  h2 .small {
    font-weight: 450;
  }
  .band {
    display: grid;
    grid-template-columns: repeat(12, minmax(0, 1fr));
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
  .long {
    margin-bottom: var(--gap);
  }
  .long :global(.face) {
    height: auto;
  }
  .long :global(.face > :not(.ledger)) {
    height: var(--needs);
  }
  .long :global(.bed) {
    overflow: visible;
  }
</style>
