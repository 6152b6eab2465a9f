<script lang="ts">
  /** A KPI over its periods as a line on its bands; a period can be chosen. */
  import type { Schemas } from '../api/client'
  import { grabbing, placed, type Grab } from './grab'
  import { widthOf } from './labels'
  import { colour, stateOf, tint } from '../api/states.svelte'
  import { sized } from '../parts/sized'
  import UsualLines from './UsualLines.svelte'

  interface Props {
    picture: Schemas['HistoryPicture']
    /** In place of the states' colours. */
    shade?: string | null
    form?: 'line' | 'columns'
    height?: number
    chosen?: string
    choose?: (key: string) => void
    grab?: Grab
  }
  let { picture, shade = null, form = 'line', height: H = 122, chosen, choose, grab }: Props = $props()
  const LEAST = 24 // px, of what is pressed
  let width = $state(600)
  const points = $derived(picture.points)
  const zero = $derived(picture.axis.zero)
  const step = $derived(width / Math.max(1, points.length))
  const x = (i: number) => (i + 0.5) * step
  const full = (state: string | null | undefined) => shade ?? (state ? colour(state) : 'var(--soft)')
  const y = (fraction: number) => (1 - fraction) * H
  const cuts = $derived(picture.cuts.filter((cut) => !cut.past))
  const levels = $derived(
    cuts.length && ['own', 'cuts'].includes(picture.axis.marked)
      ? cuts.map((cut) => ({ at: cut.fraction, label: cut.shown }))
      : picture.axis.ticks.map((tick) => ({ at: tick.fraction, label: tick.label })),
  )
  /** Where a label stands: beside its level, but wholly within the drawing. */
  const beside = (level: { at: number }) => Math.min(Math.max(y(level.at), 7), Math.max(H - 7, 7))
  // Labels nearer than a line of text to the one below yield.
  const shown = $derived(
    levels.reduce<typeof levels>(
      (kept, level) => (kept.length && beside(kept.at(-1)!) - beside(level) < 13 ? kept : [...kept, level]),
      [],
    ),
  )
  const runs = $derived.by(() => {
    const found: string[] = []
    let run: string[] = []
    points.forEach((point, i) => {
      if (point.fraction === null) {
        if (run.length > 1) found.push(run.join(' '))
        run = []
      } else run.push(`${x(i)},${y(point.fraction)}`)
    })
    if (run.length > 1) found.push(run.join(' '))
    return found
  })
  const every = $derived(Math.max(1, Math.ceil(points.length / Math.max(1, Math.floor(width / 46)))))
  const label = (i: number) => {
    const [first, year] = points[i]!.short.split(' ').slice(-2)
    const short = year ? first! : points[i]!.short
    const turns = year && (i === 0 || points[i - 1]!.short.split(' ').at(-1) !== year)
    return turns ? `${short} ’${year.slice(-2)}` : short
  }
  let svg = $state<SVGSVGElement | null>(null)
  const where = (event: PointerEvent) => 1 - placed(svg!, event).y / H
  const lastMark = $derived(points.at(-1)?.mark ?? null)
  const at = $derived(Math.max(0, chosen ? points.findIndex((one) => one.key === chosen) : points.length - 1))
  const chooseAt = (i: number) =>
    points.length && choose?.(points[Math.min(points.length - 1, Math.max(0, Math.floor(i)))]!.key)
  const WALKS: Record<string, (i: number) => number> = {
    ArrowLeft: (i) => i - 1,
    ArrowDown: (i) => i - 1,
    ArrowRight: (i) => i + 1,
    ArrowUp: (i) => i + 1,
    Home: () => 0,
    End: () => points.length - 1,
  }
  function walk(event: KeyboardEvent) {
    const to = WALKS[event.key]
    if (!to) return
    event.preventDefault()
    event.stopPropagation() // the page steps through its periods by arrows too
    chooseAt(to(at))
  }
  const told = (i: number) => {
    const point = points[i]!
    const state = stateOf(point.state)?.name
    return [
      `${point.label}: ${point.shown}`,
      point.mark_shown ? `target ${point.mark_shown}` : '',
      state ?? '',
      point.partial ? `partial, ${point.partial}` : '',
      point.signal ? 'a signal' : '',
      point.begins ? `a new usual range: ${point.begins}` : '',
      point.named ?? '',
    ]
      .filter(Boolean)
      .join(', ')
  }
</script>

{#snippet names()}
  {#each points as point, i (point.key)}
    <span style:width="{step}px" title={told(i)}
      >{i % every === 0 ? label(i) : ''}{#if choose && step >= LEAST}<button
          aria-label={told(i)}
          aria-pressed={point.key === chosen}
          onclick={() => choose?.(point.key)}
        ></button>{/if}</span
    >
  {/each}
{/snippet}

<div class="history">
  <div
    class="levels small soft"
    style:height="{H}px"
    style:--wide="{Math.max(16, ...shown.map((level) => widthOf(level.label, 12.5)))}px"
    aria-hidden="true"
  >
    {#each shown as level (level.label)}<span style:top="{beside(level)}px">{level.label}</span>{/each}
  </div>
  <div class="chart" {@attach sized((w) => (width = w))}>
    <svg
      bind:this={svg}
      {width}
      height={H}
      role={grab ? 'group' : 'img'}
      aria-label={points.map((_, i) => told(i)).join('; ')}
    >
      {#each points as point, i (point.key)}
        {#each point.bands as band (band.start)}
          <rect
            x={i * step}
            y={y(band.end)}
            width={step + 0.5}
            height={(band.end - band.start) * H}
            fill={tint(band.state)}
          />
        {:else}
          <rect x={i * step} y="0" width={step + 0.5} height={H} fill="var(--nothing-tint)" />
        {/each}
        {#if point.mark !== null}
          <line
            x1={i * step}
            x2={(i + 1) * step}
            y1={y(point.mark)}
            y2={y(point.mark)}
            stroke="var(--ink)"
            stroke-dasharray="2 3"
          />
        {/if}
      {/each}
      <UsualLines {points} {step} {y} />
      {#if chosen}
        {@const at = points.findIndex((point) => point.key === chosen)}
        {#if at >= 0}<rect class="chosen" x={at * step} y="0" width={step} height={H} />{/if}
      {/if}
      {#if form === 'columns'}
        {#each points as point, i (point.key)}
          {#if point.fraction !== null}
            {@const top = y(Math.max(zero, point.fraction))}
            <rect
              class="stave"
              x={x(i) - step * 0.32}
              width={step * 0.64}
              y={top}
              height={Math.max(1, Math.abs(point.fraction - zero) * H)}
              fill={point.partial ? tint(point.state) : full(point.state)}
              stroke={point.partial ? full(point.state) : 'none'}
              stroke-dasharray="3 2"
            />
          {/if}
        {/each}
      {:else}
        {#each runs as run (run)}<polyline
            points={run}
            fill="none"
            stroke={shade ?? 'var(--ink)'}
            stroke-width={shade ? 2 : 1.5}
          />{/each}
        {#each points as point, i (point.key)}
          {#if point.going}
            {@const [, least, most] = point.going}
            <rect class="going" x={x(i) - 3} width="6" y={y(most)} height={Math.max(2, y(least) - y(most))} />
            <circle class="end" cx={x(i)} cy={y(point.going[0])} r="4.5" />
          {/if}
          {#if point.signal && point.fraction !== null}
            <circle class="ring" cx={x(i)} cy={y(point.fraction)} r={Math.min(8, step / 2 + 1)} />
          {/if}
          {#if point.fraction !== null && !point.going}
            <circle
              cx={x(i)}
              cy={y(point.fraction)}
              r={Math.min(4.5, step / 2.4)}
              fill={point.partial ? 'var(--sheet)' : full(point.state)}
              stroke={point.partial ? full(point.state) : 'var(--sheet)'}
              stroke-width={point.partial ? 2 : 1}
            />
          {/if}
        {/each}
      {/if}
      {#each grab ? picture.cuts : [] as cut, i (i)}
        {#if !cut.past}
          <rect
            class="hold"
            role="slider"
            tabindex="0"
            aria-label="Cut {i + 1} on the history"
            aria-valuenow={cut.value}
            aria-valuetext={cut.shown}
            x={width - Math.max(step, 40)}
            width={Math.max(step, 40)}
            y={y(cut.fraction) - 4}
            height="8"
            use:grabbing={{
              where,
              now: cut.fraction,
              move: (fraction, done, fine) => grab?.cut(i, fraction, done, fine),
            }}><title>Cut at {cut.shown}. Drag it, or use the arrow keys</title></rect
          >
        {/if}
      {/each}
      {#if grab?.mark && lastMark !== null}
        <rect
          class="hold"
          role="slider"
          tabindex="0"
          aria-label="{grab.name} on the history"
          aria-valuenow={lastMark}
          aria-valuetext={points.at(-1)?.mark_shown}
          x="0"
          width="40"
          y={y(lastMark) - 4}
          height="8"
          use:grabbing={{
            where,
            now: lastMark,
            move: (fraction, done, fine) => grab?.mark?.(grab.name, fraction, done, fine),
          }}><title>{grab.name} {points.at(-1)?.mark_shown}. Drag it, or use the arrow keys</title></rect
        >
      {/if}
    </svg>
    {#if choose && step < LEAST}
      <!-- Too narrow to be pressed one by one: pressed where they stand, or walked through by keys. -->
      <div
        class="names small soft slide"
        style:--tall="{H}px"
        role="slider"
        tabindex="0"
        aria-label="Period"
        aria-valuemin="1"
        aria-valuemax={points.length}
        aria-valuenow={at + 1}
        aria-valuetext={points[at] ? told(at) : ''}
        onclick={(event) => chooseAt((event.clientX - event.currentTarget.getBoundingClientRect().x) / step)}
        onkeydown={walk}
      >
        {@render names()}
      </div>
    {:else}
      <div class="names small soft" style:--tall="{H}px">{@render names()}</div>
    {/if}
  </div>
</div>

<style>
  .history {
    display: grid;
    grid-template-columns: auto minmax(0, 1fr);
    gap: 8px;
  }
  .levels {
    position: relative;
    min-width: var(--wide);
  }
  .levels span {
    position: absolute;
    right: 0;
    transform: translateY(-50%);
    white-space: nowrap;
  }
  svg {
    display: block;
  }
  .ring {
    fill: none;
    stroke: var(--ink);
    stroke-width: 1.4;
  }
  .going {
    fill: var(--ink);
    fill-opacity: 0.22;
  }
  .end {
    fill: var(--sheet);
    stroke: var(--ink);
    stroke-width: 2;
  }
  .hold {
    fill: color-mix(in srgb, var(--accent) 26%, transparent);
    cursor: ns-resize;
    touch-action: none;
    outline: none;
  }
  .hold:hover,
  .hold:focus-visible {
    fill: color-mix(in srgb, var(--accent) 60%, transparent);
  }
  .chosen {
    fill: none;
    stroke: var(--accent);
    stroke-width: 2;
  }
  .chart {
    position: relative;
    min-width: 0;
  }
  .names {
    display: flex;
    height: 24px;
  }
  .names > * {
    flex: none;
    text-align: center;
    white-space: nowrap;
    overflow: visible;
    font-size: 11px;
    line-height: 24px;
  }
  .names span {
    position: relative;
  }
  /* A period is chosen by pressing anywhere in its column. */
  .names button,
  .slide span::before {
    content: '';
    position: absolute;
    inset: calc(var(--tall) * -1) 0 0;
    cursor: pointer;
  }
  .names button:hover,
  .names button:focus-visible,
  .slide span:hover::before {
    background: color-mix(in srgb, var(--accent) 10%, transparent);
  }
</style>
