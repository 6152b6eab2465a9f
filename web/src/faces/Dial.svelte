<script lang="ts">
  /** A sweep of bands with a needle; marks cross the ring, a value past the axis is pinned at its end. */
  import { arc } from 'd3-shape'
  import type { Picture } from '../api/client'
  import { colour, tint } from '../api/states'
  import Hatch from './Hatch.svelte'

  let { picture, mini = false }: { picture: Picture; mini?: boolean } = $props()

  const SWEEP = (210 * Math.PI) / 180
  const OUTER = 90
  const INNER = 70
  const uid = $props.id()
  const angle = (fraction: number) => (fraction - 0.5) * SWEEP
  const at = (fraction: number, radius: number) => ({
    x: Math.sin(angle(fraction)) * radius,
    y: -Math.cos(angle(fraction)) * radius,
  })
  const ring = (start: number, end: number) =>
    arc()({
      innerRadius: INNER,
      outerRadius: OUTER,
      startAngle: angle(start),
      endAngle: angle(end),
      padAngle: 0.012,
    }) ?? ''

  const reading = $derived(picture.readings[0])
  const bands = $derived(reading?.bands.length ? reading.bands : [{ state: '', start: 0, end: 1 }])
  const active = $derived.by(() => {
    if (!reading?.state || reading.value === null) return -1
    const under = bands.map((band, i) => ({ band, i })).filter(({ band }) => band.state === reading.state)
    const holds = under.find(
      ({ band }) => reading.fraction >= band.start - 1e-9 && reading.fraction <= band.end + 1e-9,
    )
    return (holds ?? under[0])?.i ?? -1
  })
  const labels = $derived.by(() => {
    if (!reading || !picture.axis || mini) return []
    const ends = [
      { fraction: 0, text: picture.axis.low_shown, end: true },
      { fraction: 1, text: picture.axis.high_shown, end: true },
    ]
    const marks = reading.marks.filter((mark) => !mark.past)
    const free = reading.cuts
      .filter((cut) => !cut.past && !marks.some((mark) => Math.abs(mark.fraction - cut.fraction) < 0.03))
      .map((cut) => ({ fraction: cut.fraction, text: cut.shown, end: false }))
    const kept = [...ends]
    if (picture.axis.ticks.length) {
      for (const label of free) {
        const clear = kept.every(
          (other) => Math.abs(other.fraction - label.fraction) > (other.end ? 0.1 : 0.13),
        )
        if (clear) kept.push(label)
      }
    }
    return kept
  })
  const anchor = (fraction: number) => (fraction < 0.42 ? 'end' : fraction > 0.58 ? 'start' : 'middle')
  const needle = $derived(reading && reading.value !== null ? (angle(reading.fraction) * 180) / Math.PI : 0)
  const fill = (i: number) => {
    const state = bands[i]!.state
    if (!state) return 'var(--nothing-tint)'
    if (i !== active) return tint(state)
    return reading?.partial ? `url(#${uid}-hatch)` : colour(state)
  }
</script>

<svg class="dial" viewBox={mini ? '-98 -98 196 140' : '-128 -112 256 148'} role="presentation">
  {#if reading}
    {#if reading.partial && reading.state}
      <Hatch id="{uid}-hatch" fill={colour(reading.state)} ground={tint(reading.state)} />
    {/if}
    {#each bands as band, i (i)}
      <path
        d={ring(band.start, band.end)}
        fill={fill(i)}
        stroke={reading.value === null ? 'var(--nothing)' : 'none'}
        stroke-dasharray={reading.value === null ? '3 3' : undefined}
      />
    {/each}
    {#each labels as label (label.fraction)}
      {@const place = label.end ? at(label.fraction, (INNER + OUTER) / 2) : at(label.fraction, OUTER + 8)}
      <text
        class="label"
        x={place.x}
        y={label.end ? place.y + 15 : place.y + 3}
        text-anchor={label.end ? 'middle' : anchor(label.fraction)}>{label.text}</text
      >
    {/each}
    {#each reading.marks.filter((mark) => !mark.past) as mark (mark.name)}
      <g transform="rotate({(angle(mark.fraction) * 180) / Math.PI})">
        <path d="M0 {-INNER + 3}V{-OUTER - 3}" stroke="var(--sheet)" stroke-width="5" />
        <path d="M0 {-INNER + 4}V{-OUTER - 3}" stroke="var(--ink)" stroke-width="2.6" />
        <path d="M-5 {-OUTER - 9}H5L0 {-OUTER - 1}Z" fill="var(--ink)" />
        <title>{mark.name} {mark.shown}</title>
      </g>
    {/each}
    {#if reading.value !== null}
      <g class="needle" style:transform="rotate({needle}deg)">
        <path d="M-5 0L-1.2 {-INNER + 5}H1.2L5 0Z" fill="var(--ink)" />
      </g>
      <circle r="6.5" fill="var(--ink)" />
      <circle r="2.2" fill="var(--sheet)" />
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

<style>
  .dial {
    width: 100%;
    height: 100%;
    min-height: 0;
    display: block;
  }
  .label {
    font-size: 11px;
    fill: var(--soft);
  }
  .nothing {
    font-size: 14px;
    fill: var(--soft);
  }
  .needle {
    transition: transform 0.35s ease-out;
  }
</style>
