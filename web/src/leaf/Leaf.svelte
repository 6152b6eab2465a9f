<script lang="ts">
  /** A page that stands alone: read in a browser without a server, or drawn as one picture. */
  import type { Workings } from '../api/client'
  import Account from '../parts/Account.svelte'
  import SidePanel from '../parts/SidePanel.svelte'
  import Tally from '../parts/Tally.svelte'
  import Tip from '../parts/Tip.svelte'
  import Grid from '../parts/page/Grid.svelte'
  import { standing } from '../parts/page/layout'
  import { flushSync, onMount, setContext } from 'svelte'
  import PaperNotes from './PaperNotes.svelte'
  import { growNow, growing, withRows } from './paper'
  import { notesAtEnd, type Told } from './told'

  let { told, done = () => undefined }: { told: Told; done?: () => void } = $props()
  /** Drawn as a picture nothing is scrolled: sheets grow to what they list. */
  // svelte-ignore state_referenced_locally
  const picture = told.mode === 'picture'
  if (picture) setContext('paper', true)
  let bed = $state<HTMLElement | null>(null)
  let grown = $state<Record<string, number>>({})
  const TAKES: Record<string, string> = {
    pdf: 'PDF',
    pptx: 'slides',
    xlsx: 'spreadsheet',
    csv: 'CSV',
    json: 'JSON',
    html: 'one file',
    png: 'PNG',
    svg: 'SVG',
  }
  const PAPER = 1.12
  const sheets = () => bed?.querySelectorAll<HTMLElement>('[data-instrument]') ?? []
  const grow = (sheet: HTMLElement, rows: number) => (grown = { ...grown, [sheet.dataset.instrument!]: rows })
  /** Before it is printed by whoever reads it, when nothing waits. */
  export function whole() {
    growNow(sheets, grow)
    // Paper is narrower than the screen, so that more lines are broken.
    for (const id in grown) grown[id] = Math.ceil(grown[id]! * PAPER) + 1
    flushSync()
  }
  onMount(async () => {
    if (picture) await growing(sheets, grow)
    done()
  })
  let asked = $state<Workings | null>(null)
  const pictures = $derived(Object.fromEntries(told.picture.instruments.map((one) => [one.id, one])))
  const texts = $derived(Object.fromEntries(told.picture.texts.map((one) => [one.id, one])))
  const ends = $derived(notesAtEnd(told))
  setContext('notes', () => told.picture.notes)
  const sections = $derived((told.body.sections ?? []).filter((section) => standing(section).length))
</script>

<main class="page" class:whole={picture} bind:this={bed}>
  <h1>{told.title}</h1>
  <p class="sentence">
    {told.heading}{#if told.edition?.words}. {told.edition.words}{/if}{#if told.through}. {told.through}{/if}
  </p>
  {#if told.edition?.state === 'withdrawn'}<p class="aside-note">Withdrawn: {told.edition.why}</p>{/if}
  {#if told.edition?.state === 'draft'}<p class="aside-note">A draft: nobody has published it yet.</p>{/if}
  {#if told.edition?.note}<p class="note-text">{told.edition.note}</p>{/if}
  {#if told.takes.length && !picture}
    <p class="small takes">
      Save as {#each told.takes as kind (kind)}<a class="link" href="?take={kind}">{TAKES[kind] ?? kind}</a
        >{/each}
    </p>
  {/if}
  {#if told.picture.tally.length}<Tally tally={told.picture.tally} />{/if}
  {#each sections as section (section.id)}
    <h2>
      {section.title}<span class="soft small"
        >{told.picture.sections.find((note) => note.id === section.id)?.words ?? ''}</span
      >
    </h2>
    <Grid
      section={picture ? withRows(section, grown) : section}
      {pictures}
      {texts}
      open={(instrument, reading) => (asked = told.workings[instrument.id]?.[reading.key] ?? null)}
    />
  {/each}
  {#if ends}
    <h2>Notes</h2>
    <PaperNotes notes={told.picture.notes} />
  {/if}
</main>
{#if told.mode === 'read'}<Tip />{/if}
{#if asked}
  <SidePanel title="Workings" close={() => (asked = null)}
    ><Account found={{ ...asked, missing: [] }} /></SidePanel
  >
{/if}

<style>
  /* Rows that are pushed to the next page take room of their own. */
  @media print {
    main :global(.item),
    main :global(.bed) {
      overflow: visible;
    }
    main :global(.item:has(.bed)) {
      display: block;
    }
    main :global(.item .face:has(.bed)) {
      height: auto;
    }
  }
  .takes {
    display: flex;
    gap: 12px;
    margin: 2px 0 8px;
  }
  h2 {
    display: flex;
    align-items: baseline;
    gap: 12px;
    margin: 18px 0 8px;
  }
  h2 .small {
    font-weight: 450;
  }
  .note-text {
    max-width: 90ch;
    margin: 2px 0 12px;
    white-space: pre-line;
  }
</style>
