<script lang="ts">
  /** What an instrument is coloured by: its states, or a ramp by its value or another KPI. */
  import type { Instrument, Schemas } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import Typed from '../../parts/Typed.svelte'

  type Ramp = Schemas['RampBody']
  interface Props {
    instrument: Instrument
    kpis: { key: string; name: string }[]
    change: (says: string, make: (instrument: Instrument) => void) => void
  }
  let { instrument, kpis, change }: Props = $props()
  const ramp = $derived(instrument.ramp)
  const NAMES: Record<Ramp['colours'], string> = {
    slate: 'Slate, light to dark',
    heather: 'Heather, light to dark',
    moss: 'Moss, light to dark',
    tideline: 'Tideline, rust to sea',
    dusk: 'Dusk, umber to violet',
  }
  const SWATCH: Record<Ramp['colours'], string> = {
    slate: '#e3e1d8, #2b4a63',
    heather: '#efe3ea, #6a2f6b',
    moss: '#eceadb, #3f5a2c',
    tideline: '#96401f, #ebe6da, #1f5f7a',
    dusk: '#7a4a0e, #ece7e0, #4a3f8c',
  }
  const ANCHORS = [
    { key: 'extent', name: 'the least and the largest there are' },
    { key: 'ends', name: 'two given ends' },
    { key: 'midpoint', name: 'a middle, as far on both sides' },
  ]
  const text = $derived(
    !ramp
      ? 'state'
      : `a ramp of ${ramp.kpi ? (kpis.find((kpi) => kpi.key === ramp.kpi)?.name ?? 'a deleted KPI') : 'its value'}`,
  )
  const set = (part: Partial<Ramp>) =>
    change('change the ramp', (draft) => {
      draft.ramp = { colours: 'slate', anchor: 'extent', ...draft.ramp, ...part } as Ramp
    })
  const ends = $derived(
    ramp?.anchor === 'extent' ? [] : ramp?.anchor === 'ends' ? ['low', 'high'] : ['low', 'middle', 'high'],
  ) as ('low' | 'middle' | 'high')[]
</script>

<Slot {text} label="Colour" width={280}>
  {#snippet children()}
    <Choices
      choices={[
        { key: 'state', name: 'state' },
        { key: 'value', name: 'a ramp of its value' },
        ...kpis.map((kpi) => ({ key: `kpi:${kpi.key}`, name: `a ramp of ${kpi.name}` })),
      ]}
      chosen={!ramp ? 'state' : ramp.kpi ? `kpi:${ramp.kpi}` : 'value'}
      choose={(key) =>
        key === 'state'
          ? change('colour by state', (draft) => (draft.ramp = null))
          : set({ kpi: key === 'value' ? null : key.slice(4), low: null, middle: null, high: null })}
    />
    {#if ramp}
      <p class="small soft pad">in these colours</p>
      {#each Object.entries(NAMES) as [key, name] (key)}
        <button
          class="ramp"
          class:on={ramp.colours === key}
          aria-pressed={ramp.colours === key}
          onclick={() => set({ colours: key as Ramp['colours'] })}
        >
          <span style:background="linear-gradient(90deg, {SWATCH[key as Ramp['colours']]})"></span>{name}
        </button>
      {/each}
      <p class="small soft pad">between</p>
      <Choices
        choices={ANCHORS}
        chosen={ramp.anchor}
        choose={(anchor) => set({ anchor: anchor as Ramp['anchor'] })}
      />
      {#each ends as end (end)}
        <label class="end small"
          >{end}<Typed
            label="Ramp {end}"
            kpi={ramp.kpi ?? instrument.kpi}
            blank
            shown={ramp[end] == null ? '' : String(ramp[end])}
            keep={(value) => set({ [end]: value })}
          /></label
        >
      {/each}
    {/if}
  {/snippet}
</Slot>

<style>
  .pad {
    padding: 6px 8px 2px;
  }
  .ramp {
    display: flex;
    gap: 9px;
    align-items: center;
    width: 100%;
    padding: 4px 8px;
    border-radius: 3px;
    text-align: left;
    cursor: pointer;
  }
  .ramp:hover {
    background: var(--accent-tint);
  }
  .ramp.on {
    font-weight: 650;
  }
  .ramp span {
    width: 62px;
    height: 11px;
    border-radius: 2px;
  }
  .end {
    display: grid;
    grid-template-columns: 60px 1fr;
    align-items: center;
    padding: 2px 8px;
  }
</style>
