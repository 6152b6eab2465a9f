<script lang="ts">
  /** A small history with its target, by fractions of its own height. */
  import { colour } from '../api/states.svelte'

  interface Props {
    line: (number | null)[]
    target: (number | null)[]
    state: string | null
    /** As wide and high as its place. */
    wide?: boolean
  }
  let { line, target, state, wide = false }: Props = $props()
  const W = 58
  const H = 22
  const x = (i: number) => 4 + (i / Math.max(1, line.length - 1)) * (W - 8)
  const y = (fraction: number) => H - 4 - fraction * (H - 8)
  const path = (values: (number | null)[]) =>
    values
      .map((value, i) =>
        value === null ? '' : `${i === 0 || values[i - 1] === null ? 'M' : 'L'}${x(i)} ${y(value)}`,
      )
      .join('')
  const last = $derived(line.length - 1)
</script>

<svg
  width={wide ? '100%' : W}
  height={wide ? '100%' : H}
  viewBox="0 0 {W} {H}"
  preserveAspectRatio="xMidYMid meet"
  aria-hidden="true"
>
  <path d={path(target)} fill="none" stroke="var(--ink)" stroke-dasharray="2 2" />
  <path d={path(line)} fill="none" stroke="var(--soft)" />
  {#if line[last] != null}
    <circle
      cx={x(last)}
      cy={y(line[last])}
      r="3.2"
      fill={state ? colour(state) : 'var(--soft)'}
      stroke="var(--sheet)"
    />
  {/if}
</svg>
