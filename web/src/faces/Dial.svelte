<script lang="ts">
  /** A sweep of bands or even segments, with a needle or filled; marks cross the ring, an overrun is pinned. */
  import { arc } from 'd3-shape'
  import { colour, stateOf, tint } from '../api/states.svelte'
  import Hatch from './Hatch.svelte'
  import { grabbing, placed } from './grab'
  import { boxOf, clear, type Label } from './labels'
  import { litBy, paint, unlit, type FaceProps } from './looks'
  import { sized } from '../parts/sized'

  let { picture, look, mini = false, grab }: FaceProps = $props()

  const OUTER = 90
  const INNER = 70
  const uid = $props.id()
  const dial = $derived(look.dial)
  const sweep = $derived((dial.sweep * Math.PI) / 180)
  const angle = $derived((fraction: number) => (fraction - 0.5) * sweep)
  const at = $derived((fraction: number, radius: number) => ({
    x: Math.sin(angle(fraction)) * radius,
    y: -Math.cos(angle(fraction)) * radius,
  }))
  const ring = $derived(
    (start: number, end: number, inner = INNER, outer = OUTER) =>
      arc()({
        innerRadius: inner,
        outerRadius: outer,
        startAngle: angle(start),
        endAngle: angle(end),
        padAngle: 0.012,
      }) ?? '',
  )
  const box = $derived.by(() => {
    const half = sweep / 2
    const side = half >= Math.PI / 2 ? OUTER : Math.sin(half) * OUTER
    const foot = Math.max(8, -Math.cos(half) * OUTER)
    const room = mini ? 8 : 38
    const top = mini ? 8 : 22
    return { x: -side - room, y: -OUTER - top, w: 2 * (side + room), h: OUTER + top + foot + (mini ? 8 : 24) }
  })

  let width = $state(256)
  let height = $state(150)
  /** Labels keep their size where the drawing shrinks; where that leaves too little room, only the ends stay. */
  const scale = $derived(Math.max(0.1, Math.min(width / box.w, height / box.h)))
  const size = $derived(Math.min(19, Math.max(8, 11 / scale)))

  const reading = $derived(picture.readings[0])
  const bands = $derived(
    reading?.bands.length ? reading.bands : [{ at: 0, state: '', start: 0, end: 1, share: '' }],
  )
  const active = $derived(bands.findIndex((band) => band.at === reading?.band))
  const marks = $derived((reading?.marks ?? []).filter((mark) => !mark.past))
  const labels = $derived.by(() => {
    if (!reading || !picture.axis || mini) return []
    const anchor = (fraction: number): Label['anchor'] =>
      Math.abs(at(fraction, 1).x) < 0.22 ? 'middle' : at(fraction, 1).x < 0 ? 'end' : 'start'
    const ends = (
      [
        [0, picture.axis.low_shown],
        [1, picture.axis.high_shown],
      ] as const
    ).map(([fraction, text]): Label => {
      const place = at(fraction, (INNER + OUTER) / 2)
      return { text, x: place.x, y: place.y + size + 4, anchor: 'middle', size }
    })
    const outside = (fraction: number, text: string): Label => {
      const place = at(fraction, OUTER + 8)
      return { text, x: place.x, y: place.y + 3, anchor: anchor(fraction), size }
    }
    const marked = picture.axis.marked
    const cuts = ['own', 'cuts'].includes(marked)
      ? reading.cuts.filter((cut) => !cut.past).map((cut) => outside(cut.fraction, cut.shown))
      : marked === 'round'
        ? picture.axis.ticks
            .filter((tick) => tick.fraction > 0.001 && tick.fraction < 0.999)
            .map((tick) => outside(tick.fraction, tick.label))
        : []
    const names =
      dial.names === 'none'
        ? []
        : bands
            .filter((band) => band.state)
            .map((band) => {
              const name = [stateOf(band.state)?.name, band.share].filter(Boolean).join(' ')
              return outside((band.start + band.end) / 2, name)
            })
    const taken = marks.map((mark) => {
      const place = at(mark.fraction, OUTER + 5)
      return { left: place.x - 7, right: place.x + 7, top: place.y - 7, bottom: place.y + 7 }
    })
    const within = { left: box.x, right: box.x + box.w, top: box.y, bottom: box.y + box.h }
    const outer = ['none', 'cuts'].includes(marked) ? [] : ends
    const order = scale < 0.62 ? outer : [...outer, ...names, ...cuts]
    return clear(order, taken, within).filter((label) => boxOf(label).right > boxOf(label).left + 2)
  })
  let svg = $state<SVGSVGElement | null>(null)
  const where = (event: PointerEvent) => {
    const { x, y } = placed(svg!, event)
    return Math.atan2(x, -y) / sweep + 0.5
  }
  const needle = $derived(reading && reading.value !== null ? (angle(reading.fraction) * 180) / Math.PI : 0)
  const zero = $derived(picture.axis?.zero ?? 0)
  const full = $derived(reading?.partial ? `url(#${uid}-hatch)` : reading ? paint(reading) : '')
  const fill = (i: number) => {
    const state = bands[i]!.state
    if (!state) return 'var(--nothing-tint)'
    if (i !== active || dial.hand === 'fill') return tint(state)
    return reading?.shade ?? (reading?.partial ? `url(#${uid}-hatch)` : colour(state))
  }
  const outline = $derived(
    reading?.value === null ? { stroke: 'var(--nothing)', 'stroke-dasharray': '3 3' } : {},
  )
</script>

<span class="dial" {@attach sized((w, h) => ((width = w), (height = h)))}>
  <svg bind:this={svg} viewBox="{box.x} {box.y} {box.w} {box.h}" role="presentation">
    {#if reading}
      {#if reading.partial && (reading.state || reading.shade)}
        <Hatch id="{uid}-hatch" fill={paint(reading)} ground={tint(reading.state)} />
      {/if}
      {#if dial.ring === 'segments'}
        {#each reading.segments as segment, i (i)}
          <path
            class="segment"
            d={ring(segment.start, segment.end - 0.008)}
            fill={segment.lit >= 0.5 ? litBy(segment, reading, full) : unlit(segment, dial)}
            {...outline}
          />
        {/each}
      {:else}
        {#each bands as band, i (i)}
          <path
            d={dial.hand === 'fill' ? ring(band.start, band.end, OUTER - 6) : ring(band.start, band.end)}
            fill={fill(i)}
            {...outline}
          />
        {/each}
        {#if dial.hand === 'fill' && reading.value !== null}
          <path d={ring(0, 1, INNER, OUTER - 7)} fill="var(--track)" />
          <path
            class="filled"
            d={ring(Math.min(zero, reading.fraction), Math.max(zero, reading.fraction), INNER, OUTER - 7)}
            fill={full}
          />
        {/if}
      {/if}
      {#if picture.axis?.marked === 'round' && !mini}
        {#each picture.axis.ticks as tick (tick.fraction)}
          <path
            transform="rotate({(angle(tick.fraction) * 180) / Math.PI})"
            d="M0 {-OUTER - 1}V{-OUTER - 5}"
            stroke="var(--soft)"
          />
        {/each}
      {/if}
      {#each labels as label (label.text + label.x)}
        <text class="label" font-size={size} x={label.x} y={label.y} text-anchor={label.anchor}
          >{label.text}</text
        >
      {/each}
      {#each marks as mark (mark.name)}
        <g transform="rotate({(angle(mark.fraction) * 180) / Math.PI})">
          <path d="M0 {-INNER + 3}V{-OUTER - 3}" stroke="var(--sheet)" stroke-width="5" />
          <path d="M0 {-INNER + 4}V{-OUTER - 3}" stroke="var(--ink)" stroke-width="2.6" />
          <path d="M-5 {-OUTER - 9}H5L0 {-OUTER - 1}Z" fill="var(--ink)" />
          <title>{mark.name} {mark.shown}</title>
        </g>
      {/each}
      {#if reading.going && reading.going.at > 0 && reading.going.at < 1}
        {@const end = at(reading.going.at, OUTER + 3)}
        <path
          d={ring(
            reading.going.low,
            Math.max(reading.going.high, reading.going.low + 0.004),
            OUTER + 1,
            OUTER + 5,
          )}
          fill="var(--ink)"
          fill-opacity="0.4"
        />
        <circle
          class="heading"
          cx={end.x}
          cy={end.y}
          r="4"
          fill="var(--sheet)"
          stroke="var(--ink)"
          stroke-width="1.6"><title>{reading.going.told}</title></circle
        >
      {/if}
      {#if grab}
        {#each reading.cuts as cut, i (i)}
          {#if !cut.past}
            <path
              class="hold"
              role="slider"
              tabindex="0"
              aria-label="Cut {i + 1} on the dial"
              aria-valuenow={cut.value}
              aria-valuetext={cut.shown}
              transform="rotate({(angle(cut.fraction) * 180) / Math.PI})"
              d="M0 {-INNER + 2}V{-OUTER - 4}"
              use:grabbing={{
                where,
                now: cut.fraction,
                move: (fraction, done, fine) => grab.cut(i, fraction, done, fine),
              }}
            >
              <title>Cut at {cut.shown}. Drag it, or use the arrow keys</title>
            </path>
          {/if}
        {/each}
        {#each grab.mark ? marks : [] as mark (mark.name)}
          <path
            class="hold mark-hold"
            role="slider"
            tabindex="0"
            aria-label="{mark.name} on the dial"
            aria-valuenow={mark.value}
            aria-valuetext={mark.shown}
            transform="rotate({(angle(mark.fraction) * 180) / Math.PI})"
            d="M-7 {-OUTER - 11}H7V{-OUTER - 1}H-7Z"
            use:grabbing={{
              where,
              now: mark.fraction,
              move: (fraction, done, fine) => grab.mark?.(mark.name, fraction, done, fine),
            }}
          >
            <title>{mark.name} {mark.shown}. Drag it, or use the arrow keys</title>
          </path>
        {/each}
      {/if}
      {#if reading.value !== null}
        {#if dial.hand === 'needle'}
          <g class="needle" style:transform="rotate({needle}deg)">
            <path
              d={dial.needle === 'bold'
                ? `M-8.5 0L-3.4 ${-INNER + 5}H3.4L8.5 0Z`
                : `M-5 0L-1.2 ${-INNER + 5}H1.2L5 0Z`}
              fill="var(--ink)"
            />
          </g>
          <circle r={dial.needle === 'bold' ? 10 : 6.5} fill="var(--ink)" />
          <circle r="2.2" fill="var(--sheet)" />
        {/if}
        {#if reading.past}
          {@const near = reading.past > 0 ? 0.975 : 0.025}
          {@const end = at(near, (INNER + OUTER) / 2)}
          {@const turn = (angle(near) * 180) / Math.PI + (reading.past > 0 ? 0 : 180)}
          <path
            class="overrun"
            transform="translate({end.x} {end.y}) rotate({turn})"
            d="M-8 -6L-1 0L-8 6ZM0 -6L7 0L0 6Z"
            fill="var(--sheet)"
            stroke="var(--ink)"
          />
        {/if}
      {:else if !mini}
        <text class="nothing" y="-8" text-anchor="middle">no reading</text>
      {/if}
    {/if}
  </svg>
</span>

<style>
  .dial {
    width: 100%;
    height: 100%;
    min-height: 0;
    display: block;
    overflow: hidden;
  }
  svg {
    display: block;
    width: 100%;
    height: 100%;
  }
  .label {
    fill: var(--soft);
  }
  .nothing {
    font-size: 14px;
    fill: var(--soft);
  }
  .hold {
    fill: transparent;
    stroke: color-mix(in srgb, var(--accent) 30%, transparent);
    stroke-width: 9;
    cursor: grab;
    touch-action: none;
    outline: none;
  }
  .mark-hold {
    stroke: none;
  }
  .hold:hover,
  .hold:focus-visible {
    stroke: var(--accent);
    stroke-width: 5;
  }
  .needle {
    transition: transform 0.35s ease-out;
  }
</style>
