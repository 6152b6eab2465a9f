<script lang="ts">
  /** A standing track, filled from its foot like a thermometer; the mark lies across it. */
  import { tint } from '../api/states.svelte'
  import Hatch from './Hatch.svelte'
  import { clear, widthOf, type Label } from './labels'
  import { paint, type FaceProps } from './looks'
  import { sized } from '../parts/sized'

  let { picture, mini = false }: FaceProps = $props()
  const uid = $props.id()
  let width = $state(90)
  let height = $state(140)
  const W = $derived(mini ? 14 : 22)
  const H = $derived(Math.max(24, height - 18))
  const reading = $derived(picture.readings[0])
  const words = $derived(
    Math.max(
      0,
      ...[
        ...(reading?.marks ?? []).map((mark) => mark.shown),
        ...(picture.axis?.ticks ?? []).map((tick) => tick.label),
      ].map((text) => widthOf(text, 11)),
    ),
  )
  /** The track stands in the middle of what it and its labels take. */
  const left = $derived(mini ? (width - W) / 2 : Math.max(6, (width - W - 13 - words) / 2))
  const end = $derived(picture.axis?.full ?? 1)
  const zero = $derived(picture.axis?.zero ?? 0)
  const y = $derived((fraction: number) => (1 - fraction) * H)
  const labels = $derived.by((): Label[] => {
    if (mini || !reading) return []
    const side = (fraction: number, text: string): Label => ({
      text,
      x: W + 13,
      y: Math.min(H - 1, Math.max(8, y(fraction) + 4)),
      anchor: 'start',
      size: 11,
    })
    const marks = reading.marks.filter((mark) => !mark.past).map((mark) => side(mark.fraction, mark.shown))
    const ticks = (picture.axis?.ticks ?? []).map((tick) => side(tick.fraction, tick.label))
    return clear([...marks, ...ticks])
  })
</script>

<span class="column" {@attach sized((w, h) => ((width = w), (height = h)))}>
  <svg {width} {height} viewBox="{-left} -9 {width} {height}" role="presentation">
    {#if reading}
      {#if reading.partial && reading.value !== null}
        <Hatch id={uid} fill={paint(reading)} ground={tint(reading.state)} />
      {/if}
      <clipPath id="{uid}-c"><rect width={W} height={H} rx={W / 2} /></clipPath>
      <rect
        width={W}
        y={y(end)}
        height={end * H}
        rx={W / 2}
        fill={reading.value === null ? 'none' : 'var(--track)'}
        stroke={reading.value === null ? 'var(--nothing)' : 'none'}
        stroke-dasharray="3 3"
      />
      {#if reading.value !== null}
        <rect
          class="fill"
          clip-path="url(#{uid}-c)"
          width={W}
          y={y(Math.max(zero, reading.fraction))}
          height={Math.abs(reading.fraction - zero) * H}
          fill={reading.partial ? `url(#${uid})` : paint(reading)}
        />
        {#if reading.past}
          {@const end = reading.past > 0 ? 13 : H - 13}
          <path
            class="overrun"
            transform="translate({W / 2} {end}) rotate({reading.past > 0 ? -90 : 90})"
            d="M-7 -5L-1 0L-7 5ZM0 -5L6 0L0 5Z"
            fill="var(--sheet)"
            stroke="var(--ink)"
          />
        {/if}
      {/if}
      {#each reading.marks.filter((mark) => !mark.past) as mark (mark.name)}
        <g transform="translate(0 {y(mark.fraction)})">
          <path d="M-4 0H{W + 4}" stroke="var(--sheet)" stroke-width="4.5" />
          <path d="M-4 0H{W + 4}" stroke="var(--ink)" stroke-width="2.2" />
          <path d="M{W + 10} -4.5V4.5L{W + 3} 0Z" fill="var(--ink)" />
          <title>{mark.name} {mark.shown}</title>
        </g>
      {/each}
      {#each labels as label (label.y)}<text x={label.x} y={label.y}>{label.text}</text>{/each}
    {/if}
  </svg>
</span>

<style>
  .column {
    display: block;
    width: 100%;
    height: 100%;
    min-height: 40px;
    overflow: hidden;
  }
  svg {
    display: block;
  }
  text {
    font-size: 11px;
    fill: var(--soft);
  }
  .fill {
    transition:
      y 0.35s ease-out,
      height 0.35s ease-out;
  }
</style>
