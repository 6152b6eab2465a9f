<script lang="ts">
  /** Everything one does to a yardstick: the strip, its back-test, rehearsal with sweep, and the proof. */
  import { api, got, newest, words, type Scope, type Strip, type YardstickBody } from '../api/client'
  import { GRAINS } from '../api/periods'
  import { stateOf } from '../api/states.svelte'
  import Sign from './Sign.svelte'
  import { markNames as offered } from '../api/marknames.svelte'
  import YardstickStrip from './YardstickStrip.svelte'
  import Typed from './Typed.svelte'

  interface Props {
    body: YardstickBody
    saved?: string
    kpi: string
    by?: string | null
    member?: string | null
    scope: Scope
    marks: string[]
    markNames?: string[]
    heading?: string
    /** What the server said last, for those who show more of it. */
    strip?: Strip | null
    aside?: import('svelte').Snippet
    rehearse?: (value: number | null) => void
    draft?: (body: YardstickBody | null) => void
    keep: (body: YardstickBody, says: string) => unknown
  }
  let {
    body,
    saved,
    kpi,
    by = null,
    member = null,
    scope,
    marks,
    markNames = offered(),
    heading = 'Cuts on the value',
    strip = $bindable(null),
    aside,
    rehearse,
    draft,
    keep,
  }: Props = $props()

  let failed = $state('')
  let trying = $state<YardstickBody | null>(null)
  let value = $state<number | null>(null)
  let sweeping = $state(false)
  let frame = 0
  const shown = $derived(trying ?? body)

  const ask = newest(async (shownBody: YardstickBody, at: number | null, locked: Strip['axis'] | null) => {
    try {
      strip = await got(
        api.POST('/api/yardsticks/strip', {
          body: {
            body: shownBody,
            saved,
            kpi,
            by,
            member,
            scope,
            marks,
            rehearse: at,
            axis: locked ? { low: locked.low, high: locked.high } : { low: null, high: null },
          },
        }),
      )
      failed = ''
    } catch (error) {
      failed = words(error)
    }
  })
  $effect(() => {
    void [saved, kpi, by, member, JSON.stringify(scope), marks.join()]
    // The axis stands still while a cut is dragged; it is chosen anew when the change is kept.
    ask($state.snapshot(shown) as YardstickBody, value, trying ? (strip?.axis ?? null) : null)
  })
  $effect(() => {
    void kpi
    return () => {
      cancelAnimationFrame(frame)
      rehearse?.(null)
    }
  })

  function attempt(next: YardstickBody | null) {
    trying = next
    draft?.(next)
  }
  /** What is kept is shown until it is, so that the next press goes on from it. */
  async function settle(next: YardstickBody, says: string) {
    attempt(next)
    const shown = trying
    await keep($state.snapshot(next) as YardstickBody, says)
    if (trying === shown) attempt(null)
  }
  function at(next: number | null) {
    value = next
    rehearse?.(next)
  }
  function sweep() {
    cancelAnimationFrame(frame)
    if (sweeping) return stop()
    if (!strip) return
    sweeping = true
    const { low, high } = strip.axis
    const still = matchMedia('(prefers-reduced-motion: reduce)').matches
    if (still) return at(low)
    const begin = performance.now()
    const run = (now: number) => {
      const share = Math.min(1, (now - begin) / 3200)
      at(low + (high - low) * share)
      if (share < 1 && sweeping) frame = requestAnimationFrame(run)
    }
    frame = requestAnimationFrame(run)
  }
  function stop() {
    sweeping = false
    cancelAnimationFrame(frame)
    at(null)
  }
  const counts = $derived(
    strip ? strip.counts.map((part) => `${part.count} ${part.name.toLowerCase()}`).join(', ') : '',
  )
  const place = $derived(value ?? strip?.reading?.value ?? null)
</script>

{#snippet moves(change: Strip['changes'][number])}
  <span
    >{change.label}
    {change.shown}: <Sign state={change.before} /> → <Sign state={change.after} />
    {stateOf(change.after)?.name ?? 'not graded'}</span
  >
{/snippet}

<div class="cuts-part">
  <div class="line">
    <h2 class="minor soft">
      {heading}{strip && (strip.direction === 'higher' || strip.direction === 'lower')
        ? `, ${strip.direction} is better`
        : strip
          ? ', best inside a range'
          : ''}
    </h2>
    {@render aside?.()}
  </div>
  {#if failed}<p class="wrong" role="alert">{failed}</p>{/if}
  {#if strip}
    <YardstickStrip
      {strip}
      body={shown}
      {kpi}
      {markNames}
      value={place}
      active={(strip.rehearsal ?? strip.reading)?.state}
      draft={attempt}
      keep={settle}
    />
    <p class="small">
      <span class="soft">{strip.readings} dots are this KPI’s readings so far{by ? `, by ${by}` : ''}.</span>
      <b>At these cuts: {counts}.</b>
      {#if member && shown.cuts.some((cut) => cut.mark)}<span class="soft"
          >The cuts stand as for {member}.</span
        >{/if}
    </p>
    {#if strip.nature === 'flow' && shown.cuts.some((cut) => !cut.mark || cut.offset)}
      <label class="small per"
        >Its numbers are for
        <select
          class="type-in"
          value={shown.per ?? 'month'}
          onchange={(event) =>
            settle(
              { ...shown, per: event.currentTarget.value as YardstickBody['per'] },
              'say for which period its numbers are',
            )}
        >
          {#each GRAINS as grain (grain)}<option value={grain}>a {grain}</option>{/each}
          <option value="any">the period, however long it is</option>
        </select>
        {#if Math.abs(strip.scale - 1) > 1e-9}<span class="soft"
            >and stand × {Number(strip.scale.toPrecision(3))} for {strip.period_label}</span
          >{/if}
      </label>
    {/if}
    {#if trying && (strip.changes.length || strip.past_count)}
      <div class="small changes" aria-live="polite">
        <b>{strip.changes.length} would change state in {strip.period_label}</b>
        {#each strip.changes.slice(0, 4) as change (change.label)}{@render moves(change)}{/each}
        {#if strip.past_count}
          <b>{strip.past_count} of earlier periods would</b>
          {#each strip.past_changes.slice(0, 4) as change (change.label)}{@render moves(change)}{/each}
        {/if}
      </div>
    {/if}
  {/if}
</div>
{#if strip}
  <div class="trial-part">
    <div class="line">
      <h2 class="minor soft">Rehearse a value</h2>
      <span class="small soft" aria-live="polite">
        {#if strip.rehearsal}<Sign state={strip.rehearsal.state} />
          {stateOf(strip.rehearsal.state)?.name ?? 'not graded'} · not saved{:else}nothing is saved{/if}
      </span>
    </div>
    <div class="rehearse">
      <input
        type="range"
        aria-label="Rehearse a value"
        min={strip.axis.low}
        max={strip.axis.high}
        step={strip.step}
        value={place ?? strip.axis.low}
        aria-valuetext={strip.rehearsal?.shown}
        oninput={(event) => {
          sweeping = false
          at(Number(event.currentTarget.value))
        }}
      />
      <span class="typed"
        ><Typed
          label="Value to rehearse"
          {kpi}
          shown={(strip.rehearsal ?? strip.reading)?.shown ?? ''}
          keep={(next) => at(next)}
        /></span
      >
      <button class="act" onclick={sweep}>{sweeping ? 'Stop' : 'Sweep'}</button>
      {#if value !== null && !sweeping}<button class="act" onclick={stop}>Reset</button>{/if}
    </div>
    {#if value !== null || sweeping}
      <ol class="sweep small">
        {#each strip.sweep as step, i (i)}
          <li>
            <button onclick={() => at(step.start)}
              >{i ? 'from' : 'at'}
              {step.shown}
              <Sign state={step.state} />
              {stateOf(step.state)?.name}</button
            >
          </li>
        {/each}
      </ol>
    {/if}

    {#if strip.proof.length}
      <div class="line part">
        <h2 class="minor soft">Proof at each cut</h2>
        <span class="small soft"
          >{strip.cuts.every((cut) => cut.belongs === 'above')
            ? 'a cut belongs to the band above it'
            : strip.cuts.every((cut) => cut.belongs === 'below')
              ? 'a cut belongs to the band below it'
              : 'see “exactly”'}</span
        >
      </div>
      <table class="plain proof">
        <thead><tr><th>Cut</th><th>just under</th><th>exactly</th><th>just over</th></tr></thead>
        <tbody>
          {#each strip.proof as line, i (i)}
            <tr>
              <td><b>{line.cut}</b></td>
              {#each [line.under, line.at, line.over] as state, j (j)}
                <td><Sign {state} /> {stateOf(state)?.name}</td>
              {/each}
            </tr>
          {/each}
        </tbody>
      </table>
    {/if}
  </div>
{/if}

<style>
  .line {
    display: flex;
    justify-content: space-between;
    align-items: baseline;
    gap: 10px;
  }
  .trial-part {
    margin-top: 14px;
  }
  .per select {
    width: auto;
    padding: 1px 4px;
  }
  .part {
    margin-top: 14px;
  }
  h2 {
    font-size: 12.5px;
  }
  .rehearse {
    display: flex;
    gap: 8px;
    align-items: center;
    margin-top: 4px;
  }
  .rehearse input[type='range'] {
    flex: 1;
    min-width: 60px;
    accent-color: var(--accent);
  }
  .typed {
    width: 84px;
  }
  .sweep {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 10px;
    margin-top: 5px;
  }
  .sweep button {
    border-bottom: 1px solid var(--accent);
    cursor: pointer;
  }
  .changes {
    display: flex;
    flex-direction: column;
    margin-top: 4px;
  }
  .proof td,
  .proof th {
    white-space: nowrap;
  }
</style>
