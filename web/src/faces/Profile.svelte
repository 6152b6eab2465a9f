<script lang="ts">
  /** Members or KPIs around a circle, as an outline or as wedges, the marks across each spoke. */
  import { arc } from 'd3-shape'
  import type { Reading } from '../api/client'
  import { tint } from '../api/states.svelte'
  import { boxOf, broken, clear, LINE, shortened, widthOf, type Label } from './labels'
  import { paint, type FaceProps } from './looks'
  import { sized } from '../parts/sized'

  let { picture, look, mini: tiny = false, open }: FaceProps = $props()
  const SIZE = 11.5
  let width = $state(300)
  let height = $state(260)
  /** Too small for names: they are told on hover and focus. */
  const mini = $derived(tiny || width < 210 || height < 110)
  const OUTER = $derived(Math.max(16, Math.min(width / 2 - (mini ? 4 : 64), height / 2 - (mini ? 4 : 24))))
  const INNER = $derived(OUTER * 0.12)
  const readings = $derived(picture.readings.slice(0, 60))
  const slice = $derived((2 * Math.PI) / Math.max(1, readings.length))
  const radius = $derived((fraction: number) => INNER + fraction * (OUTER - INNER))
  const at = $derived((i: number, r: number) => ({ x: Math.sin(i * slice) * r, y: -Math.cos(i * slice) * r }))
  const wedge = $derived(
    (i: number, inner: number, outer: number) =>
      arc()({
        innerRadius: inner,
        outerRadius: outer,
        startAngle: (i - 0.5) * slice,
        endAngle: (i + 0.5) * slice,
        padAngle: readings.length > 1 ? 0.03 : 0,
      }) ?? '',
  )
  const outline = $derived(
    readings
      .map((reading, i) => (reading.value === null ? null : at(i, radius(reading.fraction))))
      .filter((place) => place !== null)
      .map((place) => `${place.x},${place.y}`)
      .join(' '),
  )
  const edge = $derived((i: number, fraction: number, half: number) => {
    const r = radius(fraction)
    const turn = (angle: number) => `${Math.sin(angle) * r} ${-Math.cos(angle) * r}`
    return `M${turn((i - half) * slice)}A${r} ${r} 0 0 1 ${turn((i + half) * slice)}`
  })
  const labels = $derived.by(() => {
    if (mini) return []
    return clear(
      readings.map((reading, i): Label => {
        const place = at(i, OUTER + 9)
        const side = Math.abs(place.x) < 8 ? 'middle' : place.x < 0 ? 'end' : 'start'
        const room = side === 'middle' ? width : width / 2 - Math.abs(place.x)
        const lines = broken(reading.label, SIZE, room).map((line) =>
          widthOf(line, SIZE) > room ? shortened(line, Math.max(3, Math.floor(room / 6.8))) : line,
        )
        const y = place.y + 4 - ((lines.length - 1) * LINE * SIZE) / 2
        return { text: reading.label, lines, x: place.x, y, anchor: side, size: SIZE }
      }),
      [],
      { left: -width / 2, right: width / 2, top: -height / 2, bottom: height / 2 },
    )
  })
  /** One scale is written on the circles only where all spokes share it. */
  const rings = $derived(
    readings.some((reading) => reading.axis)
      ? []
      : (picture.axis?.ticks ?? []).filter((tick) => tick.fraction > 0.05),
  )
  /** The scale along the first spoke, clear of dots and names. */
  const scaled = $derived.by(() => {
    if (mini) return []
    const dots = readings.map((reading, i) => {
      const place = at(i, radius(reading.fraction))
      return { left: place.x - 6, right: place.x + 6, top: place.y - 6, bottom: place.y + 6 }
    })
    const wanted = rings.map((tick): Label => {
      const r = radius(tick.fraction)
      return { text: tick.label, x: 3, y: -r + 11, anchor: 'start', size: 10.5 }
    })
    return clear(wanted.reverse(), [...dots, ...labels.map(boxOf)], {
      left: -OUTER,
      right: OUTER,
      top: -OUTER,
      bottom: 0,
    })
  })
  /** What the way from the centre to the rim stands for, in a corner that no name is in. */
  const caption = $derived.by(() => {
    if (mini) return []
    const words = readings.some((reading) => reading.axis)
      ? 'each on its own axis, from the centre out'
      : picture.axis
        ? `centre ${picture.axis.low_shown}, rim ${picture.axis.high_shown}`
        : ''
    const [side, end] = [-width / 2 + 2, width / 2 - 2]
    return clear(
      [
        {
          text: words,
          x: side,
          y: height / 2 - 4,
          anchor: 'start',
          size: 11,
          others: [
            { x: end, y: height / 2 - 4, anchor: 'end' },
            { x: side, y: -height / 2 + 11, anchor: 'start' },
            { x: end, y: -height / 2 + 11, anchor: 'end' },
          ],
        },
      ],
      labels.map(boxOf),
      { left: -width / 2, right: width / 2, top: -height / 2, bottom: height / 2 },
    )
  })
  const wedges = $derived(look.profile.form === 'wedges')
  const press = (event: KeyboardEvent, reading: Reading) =>
    (event.key === 'Enter' || event.key === ' ') && open?.(reading)
</script>

<div class="profile" {@attach sized((w, h) => ((width = w), (height = h)))}>
  <svg {width} {height} viewBox="{-width / 2} {-height / 2} {width} {height}" role="presentation">
    <circle r={OUTER} fill="var(--nothing-tint)" />
    {#each rings as tick (tick.fraction)}
      <circle r={radius(tick.fraction)} fill="none" stroke="var(--rule)" />
    {/each}
    {#each readings as reading, i (reading.key)}
      {#if wedges && reading.value !== null}
        <path d={wedge(i, INNER, radius(reading.fraction))} fill={paint(reading)} />
      {:else}
        {@const end = at(i, OUTER)}
        <path
          d="M0 0L{end.x} {end.y}"
          stroke={reading.value === null ? 'var(--nothing)' : 'var(--rule)'}
          stroke-dasharray={reading.value === null ? '3 3' : undefined}
        />
      {/if}
    {/each}
    {#if !wedges}
      <polygon
        points={outline}
        fill={tint(null)}
        fill-opacity="0.6"
        stroke="var(--ink)"
        stroke-width="1.4"
        stroke-linejoin="round"
      />
    {/if}
    {#each readings as reading, i (reading.key)}
      {#each reading.marks.slice(0, 1).filter((mark) => !mark.past) as mark (mark.name)}
        <path
          d={edge(i, mark.fraction, wedges ? 0.46 : 0.22)}
          stroke="var(--sheet)"
          stroke-width="4"
          fill="none"
        />
        <path
          d={edge(i, mark.fraction, wedges ? 0.46 : 0.22)}
          stroke="var(--ink)"
          stroke-width="2"
          fill="none"
        />
      {/each}
      {#if !wedges && reading.value !== null}
        {@const place = at(i, radius(reading.fraction))}
        <circle cx={place.x} cy={place.y} r={mini ? 2.2 : 5} fill={paint(reading)} stroke="var(--sheet)" />
      {/if}
      {#if reading.past}
        {@const place = at(i, radius(reading.past > 0 ? 0.93 : 0.05))}
        <path
          class="overrun"
          transform="translate({place.x} {place.y}) rotate({((i * slice) / Math.PI) * 180 -
            (reading.past > 0 ? 90 : -90)})"
          d="M-6 -4L-1 0L-6 4ZM0 -4L5 0L0 4Z"
          fill="var(--sheet)"
          stroke="var(--ink)"
        />
      {/if}
      {#if !tiny}
        <path
          class="hit"
          role="button"
          tabindex="0"
          aria-label={reading.spoken}
          d={wedge(i, 0, OUTER + 2)}
          onclick={() => open?.(reading)}
          onkeydown={(event) => press(event, reading)}
        >
          <title>{reading.spoken}</title>
        </path>
      {/if}
    {/each}
    {#each [...scaled, ...caption] as label (label.text)}
      <text class="tick" x={label.x} y={label.y} text-anchor={label.anchor}>{label.text}</text>
    {/each}
    {#each labels as label (label.text + label.x)}
      <text y={label.y} text-anchor={label.anchor}
        >{#each label.lines ?? [label.text] as line, at (at)}<tspan
            x={label.x}
            dy={at ? LINE * SIZE : undefined}>{line}</tspan
          >{/each}</text
      >
    {/each}
  </svg>
</div>

<style>
  .profile {
    height: 100%;
    min-height: 40px;
    overflow: hidden;
  }
  svg {
    display: block;
  }
  text {
    font-size: 11.5px;
    fill: var(--ink);
    pointer-events: none;
  }
  /* A wedge may lie under it. */
  .tick {
    font-size: 10.5px;
    fill: var(--soft);
    stroke: var(--sheet);
    stroke-width: 3px;
    paint-order: stroke;
  }
  .hit {
    fill: transparent;
    cursor: pointer;
  }
  .hit:hover,
  .hit:focus-visible {
    fill: color-mix(in srgb, var(--accent) 10%, transparent);
    outline: none;
  }
</style>
