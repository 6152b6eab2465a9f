<script lang="ts" module>
  import type { Schemas } from '../api/client'

  const RESTS_MS = 120 // what is only scrolled past is not asked for
  const MOST = 400
  /** Drawings that were fetched, by what they are of; the oldest is given up first. */
  const known = new Map<string, Schemas['Stamp'][]>()
</script>

<script lang="ts">
  /** A page as small as a stamp: its sheets in their places, drawn from what they read. */
  import { HIGH, ROW, W, strokes } from './stamp'

  interface Props {
    /** What the drawing is of, as it stands; nothing is drawn of "". */
    of: string
    fetch: () => Promise<unknown>
  }
  let { of, fetch }: Props = $props()
  let stamps = $state.raw<Schemas['Stamp'][]>([])
  const drawing = $derived(strokes(stamps))
  $effect(() => {
    if (!of) return
    const place = of
    const held = known.get(place)
    if (held) {
      stamps = held
      return
    }
    const timer = setTimeout(async () => {
      try {
        const found = (await fetch()) as Schemas['Stamp'][]
        known.set(place, found)
        if (known.size > MOST) known.delete(known.keys().next().value!)
        stamps = found
      } catch {
        stamps = [] // the card says all of it in words
      }
    }, RESTS_MS)
    return () => clearTimeout(timer)
  })
</script>

<svg viewBox="0 0 {W} {HIGH * ROW}" class="stamps" aria-hidden="true" preserveAspectRatio="xMidYMin slice">
  <path d={drawing.papers} class="paper" />
  {#each drawing.drawn as one, i (i)}
    <path
      d={one.d}
      fill={one.width ? 'none' : one.colour}
      stroke={one.width ? one.colour : undefined}
      stroke-width={one.width || undefined}
      stroke-opacity={one.opacity}
      stroke-linecap={one.round ? 'round' : undefined}
    />
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
</style>
