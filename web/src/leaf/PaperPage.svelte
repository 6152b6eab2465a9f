<script lang="ts">
  /** A page on paper: title and number on every page of it, a section after the other. */
  import { setContext } from 'svelte'
  import Tally from '../parts/Tally.svelte'
  import { standing } from '../views/scorecards/layout'
  import PaperSection from './PaperSection.svelte'
  import { MARGIN, roomOf } from './paper'
  import PaperNotes from './PaperNotes.svelte'
  import { notesAtEnd, type Told } from './told'

  let { told, done }: { told: Told; done: () => void } = $props()
  setContext('paper', true)
  // svelte-ignore state_referenced_locally
  const room = roomOf(told.paper)
  let head = $state(0)
  let left = $state(-1)
  const sections = $derived((told.body.sections ?? []).filter((section) => standing(section).length))
  const quoted = (text: string) => JSON.stringify(text).replace(/</g, '\\3c ')
  const SMALL = "font: 450 9pt 'Archivo Variable', sans-serif; color: #5c6870;"
  const strong = `${SMALL} font-weight: 650; color: #1e282e;`
  /** What stands in the margins of every page; fonts and numbers are the page's own. */
  const margins = document.createElement('style')
  // svelte-ignore state_referenced_locally
  margins.textContent = `
    @page {
      size: ${room.size};
      margin: ${MARGIN.top}mm ${MARGIN.side}mm ${MARGIN.foot}mm;
      @top-left { content: ${quoted(told.title)}; ${strong} }
      @top-right { content: ${quoted(told.heading)}; ${SMALL} }
      @bottom-left { content: ${quoted(told.through)}; ${SMALL} }
      @bottom-right { content: counter(page) " / " counter(pages); ${SMALL} }
    }
    html, body { background: #fff; }
    #app { min-height: 0; }`
  document.head.append(margins)
  function finished() {
    left = (left < 0 ? sections.length : left) - 1
    if (left === 0) done()
  }
  $effect(() => {
    if (!sections.length) done()
  })
</script>

<main style:width="{room.width}px" style:zoom={room.zoom}>
  {#if told.mode === 'paper'}
    <header bind:offsetHeight={head}>
      <h1>{told.title}</h1>
      <p class="sentence">
        {told.heading}{#if told.edition?.words}. {told.edition.words}{/if}
      </p>
      {#if told.edition?.state === 'withdrawn'}<p class="aside-note">Withdrawn: {told.edition.why}</p>{/if}
      {#if told.edition?.note}<p class="note-text">{told.edition.note}</p>{/if}
      {#if told.picture.tally.length}<div class="tallied"><Tally tally={told.picture.tally} /></div>{/if}
      {#if told.picture.changed}<p class="small soft">{told.picture.changed}</p>{/if}
    </header>
  {/if}
  {#if head || told.mode === 'slides'}
    {#each sections as section, at (section.id)}
      <div class="section" class:next={at > 0}>
        <PaperSection {told} {section} {room} taken={at || !head ? 0 : head + 14} done={finished} />
      </div>
    {/each}
    {#if notesAtEnd(told)}
      <section class="section next">
        <h2>Notes</h2>
        <PaperNotes notes={told.picture.notes} />
      </section>
    {/if}
  {/if}
</main>

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
  .next {
    break-before: page;
  }
</style>
