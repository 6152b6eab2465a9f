<script lang="ts">
  /** A closed ring filled from the top; its figure stands in the middle. */
  import { arc } from 'd3-shape'
  import { tint } from '../api/states.svelte'
  import Hatch from './Hatch.svelte'
  import { widthOf } from './labels'
  import { litBy, paint, unlit, type FaceProps } from './looks'

  let { picture, look, mini = false }: FaceProps = $props()
  const uid = $props.id()
  const OUTER = 60
  const INNER = 46
  const reading = $derived(picture.readings[0])
  const count = $derived(look.ring.segments)
  const turn = (fraction: number) => fraction * 2 * Math.PI
  const piece = (start: number, end: number, pad = 0) =>
    arc()({
      innerRadius: INNER,
      outerRadius: OUTER,
      startAngle: turn(start),
      endAngle: turn(end),
      padAngle: pad,
    }) ?? ''
  const full = $derived(reading?.partial ? `url(#${uid})` : reading ? paint(reading) : '')
  const shown = $derived(reading?.value === null ? 'none' : (reading?.shown ?? ''))
  const size = $derived(Math.min(26, (82 / Math.max(1, widthOf(shown, 1))) * 0.94))
</script>

<svg class="hoop" viewBox="-70 -70 140 140" role="presentation">
  {#if reading}
    {#if reading.partial && reading.value !== null}
      <Hatch id={uid} fill={paint(reading)} ground={tint(reading.state)} />
    {/if}
    {#if reading.value === null}
      <path d={piece(0, 1)} fill="none" stroke="var(--nothing)" stroke-dasharray="3 3" />
    {:else if count < 2}
      <path d={piece(0, 1)} fill="var(--track)" />
      <path class="fill" d={piece(0, reading.fraction)} fill={full} />
    {:else}
      {#each reading.segments as segment, i (i)}
        <path d={piece(segment.start, segment.end, 0.035)} fill={unlit(segment, look.ring)} />
        {#if segment.lit > 0.001}<path
            class="fill"
            d={piece(segment.start, segment.start + segment.lit / count, segment.lit > 0.999 ? 0.035 : 0)}
            fill={litBy(segment, reading, full)}
          />{/if}
      {/each}
    {/if}
    {#if reading.past > 0 && reading.value !== null}
      <path
        class="overrun"
        transform="translate(-4 {-(INNER + OUTER) / 2})"
        d="M-8 -6L-1 0L-8 6ZM0 -6L7 0L0 6Z"
        fill="var(--sheet)"
        stroke="var(--ink)"
      />
    {/if}
    {#each reading.marks.filter((mark) => !mark.past) as mark (mark.name)}
      <g transform="rotate({mark.fraction * 360})">
        <path d="M0 {-INNER + 2}V{-OUTER - 2}" stroke="var(--sheet)" stroke-width="5" />
        <path d="M0 {-INNER + 3}V{-OUTER - 2}" stroke="var(--ink)" stroke-width="2.4" />
        <path d="M-4.5 {-OUTER - 8}H4.5L0 {-OUTER - 1}Z" fill="var(--ink)" />
        <title>{mark.name} {mark.shown}</title>
      </g>
    {/each}
    {#if !mini}
      <text
        text-anchor="middle"
        dominant-baseline="central"
        style:font-size="{size}px"
        class:none={reading.value === null}>{shown === 'none' ? 'no reading' : shown}</text
      >
    {/if}
  {/if}
</svg>

<style>
  .hoop {
    display: block;
    width: 100%;
    height: 100%;
    min-height: 0;
  }
  text {
    font-weight: 680;
    font-stretch: 90%;
    fill: var(--ink);
  }
  .none {
    font-size: 13px !important;
    font-weight: 450;
    fill: var(--soft);
  }
</style>
