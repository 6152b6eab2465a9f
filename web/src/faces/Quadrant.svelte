<script lang="ts">
  import { getContext } from 'svelte'
  /** Two KPIs, a dot for each member, both axes cut into four named quarters. */
  import type { Reading, Schemas } from '../api/client'
  import { colour, tint, word } from '../api/states.svelte'
  import { LINE, boxOf, broken, clear, shortened, type Box, type Label, widthOf } from './labels'
  import type { FaceProps } from './looks'
  import { sized } from '../parts/sized'

  const paper = getContext('paper')
  let { picture, mini = false, open }: FaceProps = $props()
  let width = $state(400)
  let height = $state(300)
  let listed = $state(false)
  const quadrant = $derived(picture.quadrant)
  const left = $derived(
    (mini ? 0 : Math.max(20, ...(quadrant?.up.axis.ticks ?? []).map((tick) => widthOf(tick.label, 11)))) + 10,
  )
  const foot = $derived(mini ? 2 : 34)
  const W = $derived(Math.max(20, width - left - 8))
  const H = $derived(Math.max(20, height - foot - (mini ? 2 : 8)))
  const x = $derived((fraction: number) => left + fraction * W)
  const y = $derived((fraction: number) => (mini ? 1 : 4) + (1 - fraction) * H)
  const radius = $derived((dot: Schemas['DotPlace']) =>
    quadrant?.size_name ? 3 + dot.size * Math.min(9, W / 44) : mini ? 2.5 : Math.min(5.5, 3 + W / 80),
  )
  /** Where each quarter lies: x from, y from (upwards), and its size. */
  const areas = $derived.by(() => {
    if (!quadrant) return []
    const { good_up, good_across } = quadrant
    const cx = quadrant.across.cut
    const cy = quadrant.up.cut
    return quadrant.quarters.map((quarter, i) => {
      const isUp = i < 2 === good_up
      const isRight = (i % 2 === 0) === good_across
      return {
        quarter,
        x: isRight ? cx : 0,
        w: isRight ? 1 - cx : cx,
        top: isUp ? 1 : cy,
        h: isUp ? 1 - cy : cy,
        isUp,
        isRight,
      }
    })
  })
  const missing = $derived.by(() => {
    const names = quadrant?.missing ?? []
    if (!names.length) return ''
    const rest = names.length > 3 ? ` and ${names.length - 3} more` : ''
    return `without a reading: ${names.slice(0, 3).join(', ')}${rest}`
  })
  const dots = $derived([...(quadrant?.dots ?? [])].sort((a, b) => b.size - a.size))
  const spots = $derived(
    dots.map((dot): Box => {
      const r = radius(dot)
      return { left: x(dot.x) - r, right: x(dot.x) + r, top: y(dot.y) - r, bottom: y(dot.y) + r }
    }),
  )
  const QUARTER = 11.5
  /** A quarter's name stands in a corner of it that no dot is in, or yields to the list. */
  const names = $derived.by(() => {
    if (mini) return []
    const wanted = areas.map((area): Label => {
      const room = area.w * W - 14
      const right = x(area.x + area.w) - 6
      const from = x(area.x) + 6
      const text = `${area.quarter.name}\u00a0·\u00a0${area.quarter.members.length}`
      const lines = broken(text, QUARTER, room)
      const fits = lines.length <= 3 && lines.every((line) => widthOf(line, QUARTER) <= room)
      const foot = y(area.top - area.h) - 7 - (lines.length - 1) * LINE * QUARTER
      const [outer, inner] = area.isUp ? [y(area.top) + 14, foot] : [foot, y(area.top) + 14]
      const at = (ends: boolean, height: number) => ({
        x: ends ? right : from,
        y: height,
        anchor: (ends ? 'end' : 'start') as Label['anchor'],
      })
      return {
        text: fits ? text : '',
        lines,
        size: QUARTER,
        ...at(area.isRight, outer),
        others: [at(!area.isRight, outer), at(area.isRight, inner), at(!area.isRight, inner)],
      }
    })
    const kept: (Label & { state: string })[] = []
    wanted.forEach((name, i) => {
      const found = name.text ? clear([name], [...spots, ...kept.map(boxOf)])[0] : undefined
      if (found) kept.push({ ...found, state: areas[i]!.quarter.state })
    })
    return kept
  })
  const labels = $derived.by(() => {
    if (mini || dots.length > 60 || !quadrant) return []
    const within = { left: left, right: width, top: 0, bottom: height - foot + 6 }
    const taken = names.map(boxOf)
    const wanted = dots.map((dot): Label => {
      const r = radius(dot) + 3
      const [cx, cy] = [x(dot.x), y(dot.y)]
      return {
        text: shortened(dot.member, 22),
        x: cx + r,
        y: cy + 4,
        anchor: 'start',
        size: 11,
        others: [
          { x: cx - r, y: cy + 4, anchor: 'end' },
          { x: cx, y: cy - r - 1, anchor: 'middle' },
          { x: cx, y: cy + r + 9, anchor: 'middle' },
        ],
      }
    })
    const lines = [
      { left: x(quadrant!.across.cut) - 1, right: x(quadrant!.across.cut) + 1, top: 0, bottom: height },
      { left: 0, right: width, top: y(quadrant!.up.cut) - 1, bottom: y(quadrant!.up.cut) + 1 },
    ]
    return clear(wanted, [...spots, ...taken, ...lines], within)
  })
  const thin = (ticks: Schemas['Tick'][], room: number, needed: number) => {
    const every = Math.max(1, Math.ceil((ticks.length * needed) / Math.max(1, room)))
    return ticks.filter((_, i) => i % every === 0)
  }
  const reading = (member: string): Reading | undefined =>
    picture.readings.find((known) => known.member === member)
  function show(member: string) {
    const found = reading(member)
    if (found) open?.(found)
  }
</script>

{#if !quadrant}
  <p class="small soft hint">
    {mini
      ? ''
      : picture.readings.every((reading) => reading.value === null)
        ? picture.readings[0]?.reason
        : 'A quadrant needs a segment and a second KPI to go across. Choose both in the brief.'}
  </p>
{:else}
  <div class="box">
    <div class="plot" {@attach sized((w, h) => ((width = w), (height = h)))}>
      <svg {width} {height} role="presentation">
        {#each areas as area, i (i)}
          <rect
            x={x(area.x)}
            y={y(area.top)}
            width={area.w * W}
            height={area.h * H}
            fill={tint(area.quarter.state)}
          />
        {/each}
        <path
          d="M{x(quadrant.across.cut)} {y(0)}V{y(1)}M{x(0)} {y(quadrant.up.cut)}H{x(1)}"
          stroke="var(--ink)"
        />
        {#if !mini}
          <path d="M{x(quadrant.across.cut) - 4} {y(0) + 7}h8l-4 -7Z" fill="var(--ink)">
            <title>{quadrant.across.cut_words}</title>
          </path>
          <path d="M{x(0) - 7} {y(quadrant.up.cut) - 4}v8l7 -4Z" fill="var(--ink)"
            ><title>{quadrant.up.cut_words}</title></path
          >
          {#each names as name, i (i)}
            <text
              class="quarter"
              x={name.x}
              y={name.y}
              text-anchor={name.anchor}
              style:fill={word(name.state)}
              >{#each name.lines ?? [name.text] as line, at (at)}<tspan
                  x={name.x}
                  dy={at ? LINE * QUARTER : 0}>{line}</tspan
                >{/each}</text
            >
          {/each}
          {#each thin(quadrant.up.axis.ticks, H, 16) as tick (tick.fraction)}
            <text x={left - 9} y={y(tick.fraction) + 4} text-anchor="end">{tick.label}</text>
          {/each}
          {#each thin(quadrant.across.axis.ticks, W, 44) as tick (tick.fraction)}
            <text
              x={Math.min(x(tick.fraction), width - widthOf(tick.label, 11) / 2 - 1)}
              y={y(0) + 18}
              text-anchor="middle">{tick.label}</text
            >
          {/each}
          <text class="axis" x={x(1)} y={height - 3} text-anchor="end">{quadrant.across.name} →</text>
          <text class="axis" x="2" y={height - 3}>↑ {shortened(quadrant.up.name, Math.floor(W / 14))}</text>
        {/if}
        {#each dots as dot (dot.member)}
          <circle
            role="button"
            tabindex={mini ? -1 : 0}
            aria-label={dot.spoken}
            cx={x(dot.x)}
            cy={y(dot.y)}
            r={radius(dot)}
            fill={dot.shade ?? colour(dot.state)}
            stroke={dot.past ? 'var(--ink)' : 'var(--sheet)'}
            onclick={() => show(dot.member)}
            onkeydown={(event) => (event.key === 'Enter' || event.key === ' ') && show(dot.member)}
          >
            <title>{dot.spoken}</title>
          </circle>
        {/each}
        {#each labels as label (label.text)}
          <text class="member" x={label.x} y={label.y} text-anchor={label.anchor}>{label.text}</text>
        {/each}
      </svg>
    </div>
    {#if !mini && width > 190}
      <div class="foot small soft">
        <span
          >{[quadrant.size_name ? `size: ${quadrant.size_name}` : '', missing]
            .filter(Boolean)
            .join(' · ')}</span
        >
        {#if !paper}<button class="act quiet" aria-expanded={listed} onclick={() => (listed = !listed)}
            >{listed ? 'Hide the list' : 'List by quarter'}</button
          >{/if}
      </div>
      {#if listed}
        <dl class="list small">
          {#each quadrant.quarters as quarter, i (i)}
            <dt style:border-color={colour(quarter.state)}>{quarter.name} · {quarter.members.length}</dt>
            <dd>{quarter.members.join(', ') || 'none'}</dd>
          {/each}
        </dl>
      {/if}
    {/if}
  </div>
{/if}

<style>
  .box {
    display: flex;
    flex-direction: column;
    height: 100%;
    min-height: 0;
  }
  .plot {
    flex: 1;
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
  .member {
    fill: var(--ink);
    pointer-events: none;
  }
  .quarter {
    font-size: 11.5px;
    font-weight: 620;
    fill: inherit;
  }
  .axis {
    font-weight: 560;
  }
  circle {
    cursor: pointer;
    transition:
      cx 0.35s ease-out,
      cy 0.35s ease-out;
  }
  circle:hover,
  circle:focus-visible {
    stroke: var(--accent);
    stroke-width: 2.5;
    outline: none;
  }
  .foot {
    display: flex;
    justify-content: space-between;
    gap: 10px;
    align-items: baseline;
  }
  .list {
    max-height: 45%;
    overflow: auto;
  }
  dt {
    border-left: 4px solid;
    padding-left: 7px;
    font-weight: 620;
  }
  dd {
    padding: 0 0 4px 11px;
  }
  .hint {
    margin: auto;
  }
</style>
