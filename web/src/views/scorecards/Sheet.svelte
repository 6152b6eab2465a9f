<script lang="ts">
  /** One instrument as a sheet on the page: title, state, face, and what there is to say about it. */
  import type { Instrument, Picture, Reading } from '../../api/client'
  import Face from '../../faces/Face.svelte'
  import { lists } from '../../faces/names'
  import StateChip from '../../parts/StateChip.svelte'

  interface Props {
    instrument: Instrument
    picture: Picture | undefined
    open: (member: string | null) => void
  }
  let { instrument, picture, open }: Props = $props()

  const reading = $derived(picture?.readings[0])
  const many = $derived(!!picture && lists(picture))
  const order = $derived(
    picture && instrument.order === 'gap' && picture.readings.every((each) => each.gap === null)
      ? 'sorted by value'
      : { gap: 'sorted by gap', value: 'sorted by value', name: 'by name' }[instrument.order ?? 'gap'],
  )
  const direction = $derived(
    picture?.direction === 'lower'
      ? 'lower is better'
      : picture?.direction === 'inside'
        ? 'best inside a range'
        : '',
  )
  const figured = $derived(!many && instrument.face !== 'lamp' && instrument.face !== 'chip')
  const below = $derived(
    reading && reading.value === null
      ? reading.reason
      : reading && reading.status === 'not_graded'
        ? `not graded: ${reading.reason}`
        : reading?.gap_words || reading?.band_words || '',
  )
  /** Above the gap: how much of the month there is, and how much of the mark is reached. */
  const reached = $derived(
    [
      reading?.partial?.words,
      instrument.face === 'bar' &&
      reading?.attainment_shown &&
      picture?.direction !== 'lower' &&
      picture?.unit !== 'percent'
        ? `${reading.attainment_shown} of ${reading.marks[0]?.shown}`
        : '',
    ]
      .filter(Boolean)
      .join(' · '),
  )
  const rows = (r: Reading) => open(r.member ?? null)
</script>

<div class="head">
  <h3 class:short={(instrument.h ?? 6) < 5 && figured}>
    {picture?.title ?? instrument.title}
    {#if reading?.partial && !figured}<span
        class="soft partial"
        title={reading.partial.pro_rated ? 'marks pro-rated by days' : 'a rate is not pro-rated'}
        >{reading.partial.words}</span
      >{/if}
  </h3>
  {#if picture?.rehearsed}<span class="rehearsed">rehearsal</span>{/if}
  {#if reading && !many}
    {#if instrument.face !== 'chip'}<StateChip {reading} />{/if}
  {:else if many}
    <span class="small soft aside">{[order, direction].filter(Boolean).join(' · ')}</span>
  {/if}
</div>
{#if picture?.problem}
  <p class="problem small">{picture.problem}</p>
{:else if picture && reading}
  {#if many}
    <div class="face"><Face face={instrument.face} {picture} open={rows} /></div>
  {:else}
    <button
      class="one {instrument.face}"
      onclick={() => open(null)}
      aria-label="{reading.spoken}. Open the workings"
      title={reading.spoken}
    >
      {#if figured && instrument.face !== 'dial'}
        <span class="figures">
          <span class="figure" class:none={reading.value === null}>{reading.shown}</span>
          <span class="small soft words">
            {#if reached}<span>{reached}</span>{/if}
            <span>{below}</span>
          </span>
        </span>
      {/if}
      <span class="face"><Face face={instrument.face} {picture} /></span>
      {#if figured && instrument.face === 'dial'}
        <span class="figures">
          <span class="figure" class:none={reading.value === null}>{reading.shown}</span>
          <span class="small soft words"
            >{#if reached}<span>{reached}</span>{/if}<span>{below}</span></span
          >
        </span>
      {/if}
      {#if !figured && below && reading.status !== 'graded'}<span class="small soft">{below}</span>{/if}
    </button>
  {/if}
  {#if picture.notes.length}<p class="small soft notes">{picture.notes.join(' · ')}</p>{/if}
{:else if picture}
  <p class="problem small">No member of this segment is chosen in the scope.</p>
{/if}

<style>
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
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
    flex-shrink: 2;
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
    border-radius: 3px;
    cursor: pointer;
  }
  .one.bar .face,
  .one.bullet .face {
    flex: none;
    margin-top: auto;
  }
  .one.bar,
  .one.bullet {
    justify-content: space-between;
  }
  .figures {
    display: flex;
    justify-content: space-between;
    align-items: flex-end;
    gap: 12px;
  }
  .figure {
    font-size: 30px;
    white-space: nowrap;
  }
  .figure.none {
    font-size: 17px;
    color: var(--soft);
    font-weight: 500;
  }
  @container sheet (max-width: 190px) {
    .figure {
      font-size: 23px;
    }
    .words {
      display: none !important;
    }
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
