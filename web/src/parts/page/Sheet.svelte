<script lang="ts">
  /** One instrument as a sheet on the page: title, state, face, and what there is to say about it. */
  import { getContext } from 'svelte'
  import type { Instrument, Picture, Reading, Schemas } from '../../api/client'
  import type { Grab } from '../../faces/grab'
  import Face from '../../faces/Face.svelte'
  import Legend from '../../faces/Legend.svelte'
  import { told, LOOK } from '../../faces/looks'
  import { kindOf, lists } from '../../faces/names.svelte'
  import SheetNotes from '../SheetNotes.svelte'
  import StateChip from '../StateChip.svelte'
  import Press from '../../faces/Press.svelte'

  interface Props {
    instrument: Instrument
    picture: Picture | undefined
    open: (reading: Reading) => void
    tick?: (reading: Reading, step: Schemas['Step'], done: boolean) => void
    take?: (kind: 'csv' | 'xlsx') => void
    /** Whether nothing on it is pressed: on the bench. */
    still?: boolean
    /** Given on the bench, for the instrument that is chosen. */
    grab?: Grab
  }
  let { instrument, picture, open, tick: set, take, still = false, grab }: Props = $props()
  const paper = getContext('paper')
  const tick = $derived(picture?.by_hand ? set : undefined)

  const face = $derived(instrument.face)
  const kind = $derived(kindOf(face))
  const look = $derived(instrument.look ?? LOOK)
  const hidden = $derived(new Set(instrument.hide ?? []))
  const reading = $derived(picture?.readings[0])
  const many = $derived(!!picture && (lists(picture) || kind.listed))
  const direction = $derived(
    instrument.further?.length
      ? '' // each KPI has its own
      : picture?.direction === 'lower'
        ? 'lower is better'
        : picture?.direction === 'inside'
          ? 'best inside a range'
          : '',
  )
  const unsaid = $derived(grab || paper ? undefined : 'true')
  const figured = $derived(!many && !kind.states)
  const legend = $derived(
    instrument.legend ??
      (!!picture?.ramp || (!!picture?.kinds.length && !!instrument.colour.segment) || (kind.legend && many)),
  )
  /** A figure or a course held against nothing by whoever made it: that it is not graded says nothing. */
  const bare = $derived(
    !instrument.yardstick && !instrument.marks?.length && (face === 'figure' || face === 'history'),
  )
  const below = $derived(
    bare && reading?.status === 'not_graded'
      ? ''
      : reading && reading.value === null
        ? reading.reason
        : reading && reading.status === 'not_graded'
          ? `not graded: ${reading.reason}`
          : hidden.has('mark')
            ? ''
            : reading?.gap_words || reading?.band_words || '',
  )
  /** Above the gap: how much of the month there is, and how much of the mark is reached. */
  const reached = $derived(
    [
      reading?.partial?.words,
      reading?.going && `on its way to ${reading.going.shown}`,
      kind.reaches &&
      reading?.attainment_shown &&
      picture?.direction === 'higher' &&
      (reading.marks[0]?.value ?? 0) > 0 &&
      picture?.unit !== 'percent'
        ? `${reading.attainment_shown} of ${reading.marks[0]?.shown}`
        : '',
    ]
      .filter(Boolean)
      .join(' · '),
  )
</script>

{#snippet figures()}
  {#if kind.figure !== 'within' && !hidden.has('value')}
    <span class="figure" class:none={reading?.value === null} style:--chars={reading?.shown.length}
      >{reading?.shown}</span
    >
  {/if}
  <span class="small soft words">
    {#if reached}<span>{reached}</span>{/if}
    <span>{below}</span>
  </span>
{/snippet}

<div class="head" class:unseen={hidden.has('label') && hidden.has('state')}>
  <h3 class:short={(instrument.h ?? 6) < 5 && figured} class:unseen={hidden.has('label')}>
    {picture?.title ?? instrument.title}
    {#if reading?.partial && !figured}<span
        class="soft partial"
        title={reading.partial.pro_rated ? 'marks pro-rated by days' : 'a rate is not pro-rated'}
        >{reading.partial.words}</span
      >{/if}
  </h3>
  {#if picture?.rehearsed}<span class="rehearsed">rehearsal</span>{/if}
  {#if picture?.tried.length}<span class="rehearsed" title="with another {picture.tried.join(' and ')}"
      >tried</span
    >{/if}
  {#if picture}<SheetNotes {picture} {still} {open} />{/if}
  {#if reading && !many}
    {#if !kind.names_state && !hidden.has('state') && !(bare && reading.status === 'not_graded')}<StateChip
        {reading}
      />{/if}
  {:else if many}
    <span class="small soft aside">{[picture?.sorted, direction].filter(Boolean).join(' · ')}</span>
  {/if}
</div>
{#if picture?.reach}<p class="small soft reach">{picture.reach}</p>{/if}
{#if picture?.problem}
  <p class="problem small">{picture.problem}</p>
{:else if picture && reading}
  {#if many}
    <div
      class="face"
      role={paper && face !== 'ledger' ? 'img' : undefined}
      aria-label={paper && face !== 'ledger'
        ? picture.readings.map((one) => one.spoken).join('; ')
        : undefined}
    >
      <Face {face} {picture} {look} {open} {tick} {take} />
    </div>
  {:else if kind.steps && tick && reading.steps.length}
    <div class="one f-pips">
      <div class="figures placed">
        <Press {reading} {open} tip={told(reading)} also=". Open the workings" />
        <span aria-hidden="true">{@render figures()}</span>
      </div>
      <span class="face"><Face {face} {picture} {look} {tick} /></span>
    </div>
  {:else}
    <div
      role={grab ? 'group' : paper ? 'img' : undefined}
      class="one placed f-{face}"
      aria-label={paper && !grab ? reading.spoken : undefined}
    >
      {#if unsaid}<Press {reading} {open} tip={told(reading)} also=". Open the workings" />{/if}
      <!-- Its name says all of it; what is drawn and written says it again. -->
      {#if figured && kind.figure === 'above'}<span class="figures" aria-hidden={unsaid}
          >{@render figures()}</span
        >{/if}
      <span class="face" aria-hidden={unsaid}><Face {face} {picture} {look} {grab} /></span>
      {#if figured && kind.figure !== 'above'}<span class="figures" aria-hidden={unsaid}
          >{@render figures()}</span
        >{/if}
      {#if paper && kind.states}<span class="apart">{reading.spoken}</span>{/if}
      {#if !figured && below && reading.status !== 'graded'}<span class="small soft" aria-hidden={unsaid}
          >{below}</span
        >{/if}
    </div>
  {/if}
  {#if legend}<Legend {picture} asked={instrument.legend === true} />{/if}
  {#if picture.notes.length}<p class="small soft notes">{picture.notes.join(' · ')}</p>{/if}
{:else if picture}
  <p class="problem small">No member of this segment is chosen in the scope.</p>
{/if}

<style>
  /* What a drawing without a word says, for whoever reads the paper aloud: a drawing alone is no figure there. */
  .apart {
    position: absolute;
    width: 1px;
    font-size: 1px;
    line-height: 1px;
    opacity: 0.02;
    white-space: nowrap;
  }
  .reach {
    margin-top: -2px;
    flex: none;
  }
  .head {
    display: flex;
    align-items: center;
    gap: 8px;
    min-height: 24px;
  }
  h3 {
    flex: 1;
    min-width: 0;
    display: -webkit-box;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 2;
    line-clamp: 2;
    line-height: 1.2;
    overflow: hidden;
  }
  h3.short {
    -webkit-line-clamp: 1;
    line-clamp: 1;
  }
  .partial {
    white-space: nowrap;
    font-weight: 450;
    font-size: 12.5px;
  }
  .aside {
    font-weight: 550;
    line-height: 1.15;
    text-align: right;
    text-wrap: balance;
    max-width: 48%;
  }
  .face {
    display: block;
    flex: 1;
    min-height: 0;
    width: 100%;
  }
  div.face {
    margin-top: 4px;
  }
  .one {
    display: flex;
    flex-direction: column;
    flex: 1;
    min-height: 0;
    gap: 4px;
    text-align: left;
  }
  .placed {
    position: relative;
  }
  .one.f-ranked .face,
  .one.f-bar .face,
  .one.f-bullet:not(:has(.standing)) .face,
  .one.f-pips .face {
    flex: none;
    margin-top: auto;
  }
  .one.f-ranked,
  .one.f-bar,
  .one.f-bullet,
  .one.f-pips {
    justify-content: space-between;
  }
  .one.f-pips {
    cursor: default;
  }
  .one.f-pips .figures {
    cursor: pointer;
    text-align: left;
  }
  .one.f-column {
    flex-direction: row-reverse;
    gap: 12px;
  }
  .one.f-column .face {
    flex: 0 1 44%;
  }
  .one.f-column .figures {
    flex: 1;
    flex-direction: column;
    justify-content: center;
    align-items: flex-start;
    gap: 2px;
  }
  .one.f-column .words {
    text-align: left;
  }
  .one.f-ring .figures {
    justify-content: center;
  }
  .one.f-ring .words {
    text-align: center;
  }
  .one.f-figure .face,
  .one.f-history .face {
    display: flex;
    flex-direction: column;
  }
  .one.f-figure .figure:not(.none) {
    font-size: min(40px, 96cqi / (var(--chars) * 0.58));
    line-height: 1.05;
  }
  .unseen {
    position: absolute;
    clip-path: inset(50%);
  }
  .figures {
    display: flex;
    justify-content: space-between;
    align-items: flex-end;
    gap: 12px;
  }
  .figure {
    font-size: min(30px, 96cqi / (var(--chars) * 0.58));
    white-space: nowrap;
  }
  .figure.none {
    font-size: 17px;
    color: var(--soft);
    font-weight: 500;
  }
  @container sheet (max-width: 230px) {
    .aside {
      display: none;
    }
  }
  @container sheet (max-width: 190px) {
    .figure {
      font-size: 23px;
    }
    .words {
      display: none !important;
    }
  }
  /* Read from afar, on a wall. */
  :global(.stage) .figure:not(.none) {
    font-size: min(42px, 96cqi / (var(--chars) * 0.58));
  }
  .words {
    display: flex;
    flex-direction: column;
    text-align: right;
    line-height: 1.3;
    text-wrap: balance;
  }
  .problem {
    margin: auto 0;
    padding: 8px 10px;
    background: var(--note);
    border-left: 3px solid var(--near);
  }
  .notes {
    margin-top: 4px;
  }
  .rehearsed {
    padding: 0 6px;
    border: 1px dashed var(--accent);
    color: var(--accent);
    border-radius: 3px;
    font-size: 12px;
    font-weight: 600;
  }
</style>
