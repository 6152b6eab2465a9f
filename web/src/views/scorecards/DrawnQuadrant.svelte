<script lang="ts">
  /** How a quadrant draws: which way its axes run, where they are cut, and what its quarters are called. */
  import type { Instrument } from '../../api/client'
  import { statesBeside, stateOf } from '../../api/states.svelte'
  import type { Look } from '../../faces/looks'
  import Typed from '../../parts/Typed.svelte'
  import type { Pick } from './pick'

  interface Props {
    instrument: Instrument
    draw: (make: (look: Look) => void) => void
    pick: Pick
  }
  let { instrument, draw, pick }: Props = $props()
  const look = $derived(instrument.look)
  const QUARTERS = ['good in both', 'good only up', 'good only across', 'good in neither']
</script>

<p class="soft">
  Up is {@render pick(
    'Up',
    look.quadrant.reverse_up ? 'reversed' : 'as counted',
    String(look.quadrant.reverse_up),
    [
      { key: 'false', name: 'as counted' },
      { key: 'true', name: 'reversed', note: 'the largest at the foot' },
    ],
    (key) => draw((draft) => (draft.quadrant.reverse_up = key === 'true')),
  )}, across is {@render pick(
    'Across',
    look.quadrant.reverse_across ? 'reversed' : 'as counted',
    String(look.quadrant.reverse_across),
    [
      { key: 'false', name: 'as counted' },
      { key: 'true', name: 'reversed', note: 'the largest at the left' },
    ],
    (key) => draw((draft) => (draft.quadrant.reverse_across = key === 'true')),
  )}.
</p>
<div class="cuts small">
  <label
    >cut up at<Typed
      label="Cut up"
      kpi={instrument.kpi}
      blank
      shown={look.quadrant.cut_up == null ? 'its mark' : String(look.quadrant.cut_up)}
      keep={(cut) => draw((draft) => (draft.quadrant.cut_up = cut))}
    /></label
  >
  <label
    >cut across at<Typed
      label="Cut across"
      kpi={look.quadrant.across ?? instrument.kpi}
      blank
      shown={look.quadrant.cut_across == null ? 'its mark' : String(look.quadrant.cut_across)}
      keep={(cut) => draw((draft) => (draft.quadrant.cut_across = cut))}
    /></label
  >
</div>
{#each look.quadrant.quarters as quarter, at (at)}
  <div class="quarter small">
    <span class="soft">{QUARTERS[at]}</span>
    <input
      class="type-in"
      aria-label="Name of the quarter {QUARTERS[at]}"
      placeholder="named for me"
      maxlength="40"
      value={quarter.name}
      onchange={(event) =>
        draw((draft) => (draft.quadrant.quarters[at]!.name = event.currentTarget.value.trim()))}
    />
    {@render pick(
      `Colour of the quarter ${QUARTERS[at]}`,
      stateOf(quarter.state)?.name ?? 'a state',
      quarter.state,
      statesBeside(quarter.state).map((state) => ({ key: state.key, name: state.name })),
      (key) => draw((draft) => (draft.quadrant.quarters[at]!.state = key)),
    )}
  </div>
{/each}

<style>
  .cuts {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 8px;
    align-items: center;
    margin: 2px 0;
  }
  .quarter {
    display: grid;
    grid-template-columns: 106px 1fr 64px;
    gap: 8px;
    align-items: center;
    padding: 2px 0;
  }
</style>
