<script lang="ts">
  /** A page on paper: what stands on it is measured first, then put on as many sheets of paper as it takes. */
  import { onDestroy, setContext, tick } from 'svelte'
  import type { Placed } from '../api/client'
  import { GAP, isInstrument, ROW, standing } from '../parts/page/layout'
  import { drawnInPrint } from '../faces/in-print'
  import PaperBand from './PaperBand.svelte'
  import PaperHead from './PaperHead.svelte'
  import PaperLead from './PaperLead.svelte'
  import PaperNotes from './PaperNotes.svelte'
  import PaperSheet from './PaperSheet.svelte'
  import {
    bandsOf,
    growing,
    linesOf,
    MARGIN,
    narrowed,
    paged,
    roomOf,
    type Measured,
    type Page,
  } from './paper'
  import { notesAtEnd, type Told } from './told'

  let { told, done }: { told: Told; done: () => void } = $props()
  setContext('paper', true)
  drawnInPrint(() => pages !== null && told.mode === 'paper')
  // svelte-ignore state_referenced_locally
  const room = roomOf(told.paper)
  const slides = $derived(told.mode === 'slides')
  const most = Math.floor((room.height - 90) / (ROW + GAP))
  const ONE_A_LINE = ['ledger', 'ranked', 'bar', 'bullet', 'strip']
  const NOTES_END = 30 // pixels of their margins
  let main: HTMLElement
  let pages = $state.raw<Page[] | null>(null)
  let grown = $state<Record<string, number>>({})
  const sections = $derived((told.body.sections ?? []).filter((section) => standing(section).length))
  const bands = $derived(
    sections.map((section) =>
      bandsOf(narrowed(standing(section), room.columns), grown, most, told.part.from),
    ),
  )
  const fits = document.createElement('style')
  fits.textContent = `
    @page { size: ${room.size}; margin: ${MARGIN.top}mm ${MARGIN.side}mm ${MARGIN.foot}mm; }
    html, body { background: #fff; }
    #app { min-height: 0; }`
  document.head.append(fits)
  onDestroy(() => fits.remove())

  const readings = (item: Placed) =>
    told.picture.instruments.find((one) => one.id === item.id)?.readings ?? []
  /** Of a list on whose lines one reading stands each, those that are drawn to see how high lines are; of any other all. */
  function sample(item: Placed): number[] | undefined {
    if (!isInstrument(item) || !ONE_A_LINE.includes(item.face)) return undefined
    let members = 0
    return readings(item).flatMap((one, at) => (one.role === 'group' || members++ < 3 ? [at] : []))
  }
  const height = (css: string) => main.querySelector<HTMLElement>(css)?.offsetHeight ?? 0
  function measured(): Measured[] {
    return sections.map((section, at) => ({
      section,
      head: height(`[data-head="${at}"]`) + 8,
      bands: bands[at]!,
      lists: Object.fromEntries(
        bands[at]!.flatMap((band) => band.long).flatMap((item) => {
          const sheet = main.querySelector<HTMLElement>(`[data-long="${CSS.escape(item.id)}"]`)!
          const lines = linesOf(sheet, sample(item), readings(item))
          return lines ? [[item.id, lines]] : []
        }),
      ),
    }))
  }
  $effect(() => {
    void lay()
  })
  let begun = false
  async function lay() {
    if (begun) return
    begun = true
    await growing(
      () => main.querySelectorAll<HTMLElement>('.band > .sheet'),
      (sheet, rows) => (grown = { ...grown, [sheet.dataset.sheet!]: rows }),
    )
    const lead = height('[data-lead]')
    const found = paged(measured(), {
      height: room.height,
      lead: lead ? lead + 12 : 0,
      notes: told.part.last && notesAtEnd(told) ? height('[data-notes]') + NOTES_END : 0,
      apart: slides,
      stretch: told.paper === 'wide' ? 54 : 44,
      open: told.part.open,
    })
    pages = found.pages
    document.documentElement.dataset.placed = String(
      (told.part.from[told.part.open ?? ''] ?? 0) + found.placed,
    )
    await tick()
    await new Promise((drawn) => requestAnimationFrame(() => requestAnimationFrame(drawn)))
    done()
  }
</script>

{#snippet notes()}
  <section>
    <h2>Notes</h2>
    <PaperNotes notes={told.picture.notes} />
  </section>
{/snippet}

<main class="whole" bind:this={main} style:width="{room.width}px" style:zoom={room.zoom}>
  {#if pages}
    {#each pages as page, at (at)}
      <div class="paper" class:next={at > 0} data-page={at}>
        {#each page.parts as part, i (i)}
          {#if part.kind === 'lead'}<PaperLead {told} />
          {:else if part.kind === 'notes'}{@render notes()}
          {:else if part.kind === 'head'}<PaperHead {told} section={part.section} again={part.again} />
          {:else if part.kind === 'band'}
            <PaperBand
              items={part.band.items}
              top={part.band.top}
              row={page.row}
              columns={room.columns}
              zoom={part.zoom}
              picture={told.picture}
            />
          {:else if part.kind === 'run'}
            <div class="long sheet item" data-sheet={part.item.id} style:height="{part.height}px">
              <PaperSheet
                item={part.item}
                picture={told.picture}
                from={part.from}
                to={part.to}
                before={told.part.from[part.item.id] ?? 0}
                of={told.part.of[part.item.id]}
                wide={told.part.wide}
              />
            </div>
          {:else}
            <div class="long sheet item" data-sheet={part.item.id}>
              <PaperSheet item={part.item} picture={told.picture} />
            </div>
          {/if}
        {/each}
      </div>
    {/each}
  {:else}
    {#if told.mode === 'paper' && told.part.first}<div data-lead><PaperLead {told} /></div>{/if}
    {#each sections as section, at (section.id)}
      <div data-head={at}><PaperHead {told} {section} again={false} /></div>
      {#each bands[at]! as band (band.top)}
        <PaperBand
          items={band.items}
          top={band.top}
          row={ROW}
          columns={room.columns}
          zoom={1}
          picture={told.picture}
        />
        {#each band.long as item (item.id)}
          <div class="long sheet item" data-long={item.id}>
            <PaperSheet {item} picture={told.picture} wide={told.part.wide} some={sample(item)} />
          </div>
        {/each}
      {/each}
    {/each}
    {#if told.part.last && notesAtEnd(told)}<div data-notes>{@render notes()}</div>{/if}
  {/if}
</main>

<style>
  .next {
    break-before: page;
  }
  .long {
    container: sheet / inline-size;
    display: flex;
    flex-direction: column;
    padding: 10px 13px 11px;
    margin-bottom: 12px;
    break-inside: auto;
  }
</style>
