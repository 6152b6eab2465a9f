<script lang="ts">
  /** A scorecard as small as a stamp: its sheets in their places, drawn from what they read. */
  import { api, got, type Schemas } from '../../api/client'
  import { colour } from '../../api/states.svelte'
  import { seenOnce } from './seen'

  let { id, glance }: { id: string; glance: number } = $props()
  let stamps = $state.raw<Schemas['Stamp'][]>([])
  let shown = $state(false)
  $effect(() => {
    if (!shown || !glance) return
    got(api.GET('/api/front/drawings/{key}', { params: { path: { key: id } } })).then(
      (found) => (stamps = found as Schemas['Stamp'][]),
      () => (stamps = []), // the card says all of it in words
    )
  })
  const W = 288
  const ROW = 7
  const HIGH = 17 // rows that are seen
  const GAP = 3
  const across = (columns: number) => (columns / 12) * W
  const arc = (from: number, to: number, x: number, y: number, r: number) => {
    const at = (f: number) => {
      const a = Math.PI * (1 - f)
      return `${(x + r * Math.cos(a)).toFixed(1)} ${(y - r * Math.sin(a)).toFixed(1)}`
    }
    return `M${at(from)}A${r} ${r} 0 0 1 ${at(to)}`
  }
</script>

<svg
  viewBox="0 0 {W} {HIGH * ROW}"
  class="stamps"
  aria-hidden="true"
  use:seenOnce={() => (shown = true)}
  preserveAspectRatio="xMidYMin slice"
>
  {#each stamps.filter((one) => one.y < HIGH) as one, i (i)}
    {@const x = across(one.x) + GAP / 2}
    {@const y = one.y * ROW + GAP / 2}
    {@const w = across(one.w) - GAP}
    {@const h = one.h * ROW - GAP}
    <rect {x} {y} width={w} height={h} rx="1.5" class="paper" />
    {#if one.kind === 'words'}
      {#each [0.8, 0.65, 0.72].slice(0, Math.max(1, Math.floor((h - 6) / 7))) as long, n (n)}
        <rect x={x + 5} y={y + 5 + n * 7} width={(w - 10) * long} height="2" class="track" />
      {/each}
    {:else if one.kind === 'dial'}
      {@const r = Math.max(5, Math.min(w / 2 - 6, h - 10))}
      {@const cx = x + w / 2}
      {@const cy = y + h / 2 + r / 2}
      {#each one.bands as [from, to, state], n (n)}
        <path
          d={arc(from as number, to as number, cx, cy, r)}
          fill="none"
          stroke={colour(state as string)}
          stroke-opacity={state === one.rows[0]?.[1] ? 1 : 0.22}
          stroke-width={r * 0.28}
        />
      {/each}
      {#if one.rows[0]}{@const a = Math.PI * (1 - (one.rows[0][0] as number))}
        <path d="M{cx} {cy}L{cx + r * 0.8 * Math.cos(a)} {cy - r * 0.8 * Math.sin(a)}" class="needle" />{/if}
    {:else if one.kind === 'ring'}
      {@const r = Math.max(4, Math.min(w, h) / 2 - 5)}
      {@const round = 2 * Math.PI * r}
      <circle cx={x + w / 2} cy={y + h / 2} {r} class="empty" stroke-width={r * 0.3} />
      {#if one.rows[0]}<circle
          cx={x + w / 2}
          cy={y + h / 2}
          {r}
          fill="none"
          stroke={colour(one.rows[0][1] as string)}
          stroke-width={r * 0.3}
          stroke-dasharray="{round * (one.rows[0][0] as number)} {round}"
          transform="rotate(-90 {x + w / 2} {y + h / 2})"
        />{/if}
    {:else if one.kind === 'dots'}
      {#each one.bands as [left, up, state], n (n)}
        <circle
          cx={x + 4 + (left as number) * (w - 8)}
          cy={y + h - 4 - (up as number) * (h - 8)}
          r="2"
          fill={colour(state as string)}
        />
      {/each}
    {:else if one.kind === 'history'}
      {@const step = (w - 10) / Math.max(1, one.rows.length - 1)}
      <polyline
        class="line"
        points={one.rows
          .map(([f], n) => `${x + 5 + n * step},${y + h - 5 - (f as number) * (h - 10)}`)
          .join(' ')}
      />
      {#each one.rows as [f, state], n (n)}
        <circle
          cx={x + 5 + n * step}
          cy={y + h - 5 - (f as number) * (h - 10)}
          r="1.6"
          fill={colour(state as string | null)}
        />
      {/each}
    {:else if one.kind === 'plates'}
      {@const size = Math.min(9, (w - 8) / Math.max(1, one.rows.length) - 2, h - 6)}
      {#each one.rows as [, state], n (n)}
        <rect
          x={x + 5 + n * (size + 2)}
          y={y + (h - size) / 2}
          width={size}
          height={size}
          rx="1.5"
          fill={colour(state as string | null)}
        />
      {/each}
    {:else}
      {@const fit = one.rows.slice(0, Math.max(1, Math.floor((h - 3) / 6)))}
      {@const step = (h - 4) / fit.length}
      {#each fit as [f, state], n (n)}
        {@const at = y + 2 + step * (n + 0.5) - 1.4}
        <rect x={x + 5} y={at} width={w - 10} height="2.8" rx="1.2" class="track" />
        <rect
          x={x + 5}
          y={at}
          width={Math.max(1.5, (w - 10) * (f as number))}
          height="2.8"
          rx="1.2"
          fill={colour(state as string | null)}
        />
      {/each}
    {/if}
  {/each}
</svg>

<style>
  .stamps {
    display: block;
    width: 100%;
    aspect-ratio: 288 / 119;
    border: 1px solid var(--rule);
    border-radius: 4px;
    background: var(--paper);
  }
  .paper {
    fill: var(--sheet);
    stroke: var(--rule);
    stroke-width: 0.7;
  }
  .track {
    fill: var(--track);
  }
  .empty {
    fill: none;
    stroke: var(--track);
  }
  .needle {
    stroke: var(--ink);
    stroke-width: 1.6;
  }
  .line {
    fill: none;
    stroke: var(--soft);
    stroke-width: 1;
  }
</style>
