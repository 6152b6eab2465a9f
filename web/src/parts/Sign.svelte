<script lang="ts">
  /** A state's sign: a short line with a dot under, on or over it, near or far; a square when it is deeper still. */
  import { colour, stateOf } from '../api/states.svelte'

  let {
    state,
    sign,
    size = 16,
    fill,
  }: {
    state?: string | null
    /** In place of the state's own. */ sign?: string
    size?: number
    fill?: string
  } = $props()
  const look = $derived(stateOf(state))
  const shapes = {
    'far-under': { line: 4.5, dot: 12, stem: true },
    'just-under': { line: 7, dot: 9.4, stem: false },
    'just-over': { line: 9, dot: 6.6, stem: false },
    'far-over': { line: 11.5, dot: 4, stem: true },
    on: { line: 8, dot: 8, stem: false },
    'deep-under': { line: 3, dot: 12, stem: true, square: true },
    'deep-over': { line: 13, dot: 4, stem: true, square: true },
  } as Record<string, { line: number; dot: number; stem: boolean; square?: boolean }>
  const shape = $derived(shapes[sign ?? look?.sign ?? ''])
</script>

<svg
  class="sign"
  viewBox="0 0 16 16"
  width={size}
  height={size}
  style:color={fill ?? colour(state)}
  aria-hidden="true"
>
  {#if shape}
    <path d="M1 {shape.line}H15" stroke="currentColor" stroke-width="1.9" />
    {#if shape.stem}<path d="M8 {shape.line}V{shape.dot}" stroke="currentColor" stroke-width="1.6" />{/if}
    {#if shape.square}<rect x="5" y={shape.dot - 3} width="6" height="6" fill="currentColor" />
    {:else}<circle cx="8" cy={shape.dot} r="2.6" fill="currentColor" />{/if}
  {:else}
    <path d="M3 8H13" stroke="currentColor" stroke-width="1.6" stroke-dasharray="2 2" />
  {/if}
</svg>

<style>
  .sign {
    flex: none;
    display: inline-block;
    vertical-align: -0.2em;
  }
</style>
