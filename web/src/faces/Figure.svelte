<script lang="ts">
  /** A big number with a small history of it: its line, its mark, its last state. */
  import { colour } from '../api/states.svelte'
  import { widthOf } from './labels'
  import { paint, type FaceProps } from './looks'
  import { sized } from '../parts/sized'

  let { picture, mini = false }: FaceProps = $props()
  const reading = $derived(picture.readings[0])
  let width = $state(120)
  let height = $state(40)
  const trail = $derived(reading?.trail ?? [])
  const x = $derived((i: number) => 5 + (i / Math.max(1, trail.length - 1)) * (width - 10))
  const y = $derived((fraction: number) => height - 5 - fraction * (height - 10))
  const path = (pick: (i: number) => number | null) =>
    trail
      .map((_, i) => {
        const place = pick(i)
        if (place === null) return ''
        return `${i === 0 || pick(i - 1) === null ? 'M' : 'L'}${x(i)} ${y(place)}`
      })
      .join('')
  const ends = $derived(trail.length > 1 ? [trail[0]!.short, trail.at(-1)!.short] : [])
</script>

{#if mini}
  <span class="mini">{reading?.value === null ? '–' : reading?.shown}</span>
{:else if reading}
  <span class="box" {@attach sized((w, h) => ((width = w), (height = h)))}>
    {#if trail.length > 1 && height > 14}
      <svg {width} {height} role="presentation">
        <path d={path((i) => trail[i]!.mark)} fill="none" stroke="var(--ink)" stroke-dasharray="2 3" />
        <path d={path((i) => trail[i]!.at)} fill="none" stroke="var(--soft)" />
        {#each trail as moment, i (moment.label)}
          {#if moment.at !== null}
            <circle
              cx={x(i)}
              cy={y(moment.at)}
              r={i === trail.length - 1 ? 4 : 2.2}
              fill={moment.partial
                ? 'var(--sheet)'
                : i === trail.length - 1
                  ? paint(reading)
                  : colour(moment.state)}
              stroke={moment.partial ? paint(reading) : 'none'}
              stroke-width="1.6"
            >
              <title>{moment.label}: {moment.shown}</title>
            </circle>
          {/if}
        {/each}
      </svg>
    {/if}
  </span>
  {#if ends.length && width > widthOf(ends[0]!, 12.5) + widthOf(ends[1]!, 12.5) + 14}<span
      class="ends small soft"><span>{ends[0]}</span><span>{ends[1]}</span></span
    >{/if}
{/if}

<style>
  .box {
    position: relative;
    display: block;
    flex: 1;
    width: 100%;
    min-width: 0;
    min-height: 0;
    overflow: hidden;
  }
  svg {
    position: absolute;
    inset: 0;
  }
  .ends {
    width: 100%;
    min-width: 0;
    overflow: hidden;
    display: flex;
    justify-content: space-between;
  }
  .mini {
    font-size: 16px;
    font-weight: 680;
    text-align: center;
    overflow: hidden;
  }
</style>
