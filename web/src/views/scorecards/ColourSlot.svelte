<script lang="ts">
  /** What an instrument is coloured by: states, one plain colour, kinds, or a ramp by its value or another KPI. */
  import type { CardPicture, Instrument, Picture, Schemas } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import Typed from '../../parts/Typed.svelte'
  import { colours } from '../../faces/names.svelte'
  import { RAMP_NAMES } from './ramps'

  type Ramp = Schemas['RampBody']
  interface Props {
    instrument: Instrument
    picture: Picture | undefined
    segments: CardPicture['segments']
    kpis: { key: string; name: string }[]
    change: (says: string, make: (instrument: Instrument) => void) => void
  }
  let { instrument, picture, segments, kpis, change }: Props = $props()
  const ramp = $derived(instrument.ramp)
  const colour = $derived(instrument.colour)
  const own = $derived((ramp?.own?.length ?? 0) > 1)
  const labelOf = (name: string | null | undefined) =>
    segments.find((segment) => segment.name === name)?.label.toLowerCase()
  const ANCHORS = [
    { key: 'extent', name: 'the least and the largest there are' },
    { key: 'ends', name: 'two given ends' },
    { key: 'midpoint', name: 'a middle, as far on both sides' },
  ]
  const text = $derived.by(() => {
    if (ramp)
      return `a ramp of ${ramp.kpi ? (kpis.find((kpi) => kpi.key === ramp.kpi)?.name ?? 'a deleted KPI') : 'its value'}`
    if (colour.by === 'plain') return `one plain colour, ${colour.plain}`
    if (colour.by === 'kind')
      return colour.segment ? (labelOf(colour.segment) ?? 'kind') : (labelOf(instrument.by) ?? 'kind')
    return 'state'
  })
  const chosen = $derived(
    ramp
      ? ramp.kpi
        ? `kpi:${ramp.kpi}`
        : 'value'
      : colour.by === 'kind'
        ? `kind:${colour.segment ?? instrument.by ?? ''}`
        : colour.by,
  )
  const set = (part: Partial<Ramp>) =>
    change('change the ramp', (draft) => {
      draft.ramp = { colours: 'slate', anchor: 'extent', own: [], ...draft.ramp, ...part } as Ramp
    })
  function choose(key: string) {
    if (key === 'value' || key.startsWith('kpi:'))
      return set({ kpi: key === 'value' ? null : key.slice(4), low: null, middle: null, high: null })
    change('change the colour', (draft) => {
      draft.ramp = null
      draft.colour.by = key.startsWith('kind:') ? 'kind' : (key as 'state' | 'plain')
      draft.colour.segment = key.startsWith('kind:') && key.slice(5) !== draft.by ? key.slice(5) : null
    })
  }
  function paintOwn(at: number, shade: string) {
    const held = [...(ramp?.own ?? [])]
    held[at] = shade
    set({ own: held })
  }
  const ends = $derived(
    ramp?.anchor === 'extent' ? [] : ramp?.anchor === 'ends' ? ['low', 'high'] : ['low', 'middle', 'high'],
  ) as ('low' | 'middle' | 'high')[]
</script>

<Slot {text} label="Colour" width={280}>
  {#snippet children()}
    <Choices
      choices={[
        { key: 'state', name: 'state' },
        { key: 'plain', name: 'one plain colour' },
        ...(instrument.by
          ? segments.map((segment) => ({
              key: `kind:${segment.name}`,
              name:
                segment.name === instrument.by
                  ? `each ${segment.label.toLowerCase()}`
                  : segment.label.toLowerCase(),
              note:
                segment.name === instrument.by ? 'a colour of its own' : 'the one most of its rows are of',
            }))
          : []),
        { key: 'value', name: 'a ramp of its value' },
        ...kpis.map((kpi) => ({ key: `kpi:${kpi.key}`, name: `a ramp of ${kpi.name}` })),
      ]}
      {chosen}
      {choose}
    />
    {#if !ramp && colour.by === 'plain'}
      <p class="small soft pad">which one</p>
      <div class="plain" role="group" aria-label="Plain colour">
        {#each Object.entries(colours().plain) as [name, shade] (name)}
          <button
            aria-pressed={colour.plain === name}
            class:on={colour.plain === name}
            onclick={() =>
              change(
                'change the colour',
                (draft) => (draft.colour.plain = name as Instrument['colour']['plain']),
              )}><i style:background={shade}></i>{name}</button
          >
        {/each}
      </div>
    {/if}
    {#if ramp}
      <p class="small soft pad">in these colours</p>
      {#each Object.entries(RAMP_NAMES) as [key, name] (key)}
        <button
          class="ramp"
          class:on={!own && ramp.colours === key}
          aria-pressed={!own && ramp.colours === key}
          onclick={() => set({ colours: key as Ramp['colours'], own: [] })}
        >
          <span style:background="linear-gradient(90deg, {colours().ramps[key]?.join()})"></span>{key}, {name}
        </button>
      {/each}
      {#if own}
        <div class="own small">
          {#each ramp.own ?? [] as shade, at (at)}
            <input
              type="color"
              aria-label="Colour {at + 1} of the ramp"
              value={shade}
              onchange={(event) => paintOwn(at, event.currentTarget.value)}
            />
          {/each}
          {#if ramp.own?.length === 2}
            <button class="act quiet" onclick={() => set({ own: [ramp.own[0]!, '#ebe6da', ramp.own[1]!] })}
              >with a middle</button
            >
          {:else}
            <button class="act quiet" onclick={() => set({ own: [ramp.own[0]!, ramp.own[2]!] })}
              >without a middle</button
            >
          {/if}
        </div>
        {#each picture?.ramp?.doubts ?? [] as doubt (doubt)}<p class="wrong pad">{doubt}</p>{:else}
          <p class="small soft pad">Told apart by every colour vision, and even in lightness.</p>
        {/each}
      {:else}
        <button class="act quiet" onclick={() => set({ own: [...(colours().ramps[ramp.colours] ?? [])] })}
          >Colours of my own</button
        >
      {/if}
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
  .plain {
    display: grid;
    grid-template-columns: 1fr 1fr;
    padding: 0 8px;
  }
  .plain button {
    display: flex;
    gap: 7px;
    align-items: center;
    padding: 3px 4px;
    border-radius: 3px;
    cursor: pointer;
  }
  .plain button:hover {
    background: var(--accent-tint);
  }
  .plain .on {
    font-weight: 650;
  }
  .plain i {
    width: 14px;
    height: 14px;
    border-radius: 3px;
  }
  .own {
    display: flex;
    gap: 6px;
    align-items: center;
    padding: 4px 8px;
  }
  .own input {
    width: 38px;
    height: 26px;
    padding: 0;
    border: 1px solid var(--rule);
    border-radius: 3px;
    cursor: pointer;
  }
  .end {
    display: grid;
    grid-template-columns: 60px 1fr;
    align-items: center;
    padding: 2px 8px;
  }
</style>
