<script lang="ts">
  /** The sentence that defines an instrument; each underlined part is a slot. */
  import type { CardPicture, Instrument, Kpi, Yardstick } from '../../api/client'
  import { FACES, phrase } from '../../faces/names'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'

  interface Props {
    instrument: Instrument
    kpis: Kpi[]
    yardsticks: Yardstick[]
    segments: CardPicture['segments']
    markNames: string[]
    change: (says: string, make: (instrument: Instrument) => void) => void
    newYardstick: () => void
  }
  let { instrument, kpis, yardsticks, segments, markNames, change, newYardstick }: Props = $props()
  const kpi = $derived(kpis.find((known) => known.id === instrument.kpi))
  const segment = $derived(segments.find((known) => known.name === instrument.by))
  const graded = $derived(yardsticks.find((known) => known.id === instrument.yardstick))
  const marks = $derived(instrument.marks ?? [])
  const unit = (id: string | null | undefined) => kpis.find((known) => known.id === id)?.body.unit?.kind

  function by(name: string) {
    change('change the scope', (draft) => {
      draft.by = name || null
      if (name && draft.face === 'dial') draft.face = 'bullet'
      if (name && draft.w < 5) draft.w = 5
    })
  }
  function toggle(name: string) {
    change('change the marks', (draft) => {
      const held = draft.marks ?? []
      draft.marks = held.includes(name) ? held.filter((other) => other !== name) : [...held, name].slice(0, 4)
    })
  }
</script>

<p class="brief">
  Show
  <Slot text={kpi?.body.name ?? 'a KPI'} label="KPI">
    {#snippet children(close)}
      <Choices
        choices={kpis.map((known) => ({ key: known.id, name: known.body.name, note: known.body.owner }))}
        chosen={instrument.kpi}
        choose={(id) => {
          change('change the KPI', (draft) => (draft.kpi = id))
          close()
        }}
      />
    {/snippet}
  </Slot>
  for
  <Slot
    text={segment ? `each ${segment.label.toLowerCase()}` : 'all rows together'}
    label="Scope of the instrument"
  >
    {#snippet children(close)}
      <Choices
        choices={[
          { key: '', name: 'all rows together' },
          ...segments.map((known) => ({
            key: known.name,
            name: `each ${known.label.toLowerCase()}`,
            note: `${known.members.length} members`,
          })),
        ]}
        chosen={instrument.by ?? ''}
        choose={(name) => {
          by(name)
          close()
        }}
      />
    {/snippet}
  </Slot>
  as
  <Slot text={phrase(instrument.face)} label="Face">
    {#snippet children(close)}
      <Choices
        choices={FACES.map((face) => ({
          key: face.key,
          name: face.phrase,
          off: !!instrument.by && !face.many,
          note: instrument.by && !face.many ? 'shows one reading' : undefined,
        }))}
        chosen={instrument.face}
        choose={(face) => {
          change('change the face', (draft) => (draft.face = face as Instrument['face']))
          close()
        }}
      />
    {/snippet}
  </Slot>, against
  <Slot text={marks.length ? marks.join(' and ') : 'no mark'} label="Marks">
    {#snippet children()}
      <Choices choices={markNames.map((name) => ({ key: name, name }))} many={marks} choose={toggle} />
      <p class="small soft hint">Lines come from the <a href="#/marks/{instrument.kpi}">mark book</a>.</p>
    {/snippet}
  </Slot>, graded by
  <Slot text={graded?.body.name ?? 'no yardstick'} label="Yardstick">
    {#snippet children(close)}
      <Choices
        choices={[
          { key: '', name: 'no yardstick' },
          ...yardsticks.map((known) => ({
            key: known.id,
            name: known.body.name,
            note:
              known.body.kpi &&
              unit(known.body.kpi) !== kpi?.body.unit?.kind &&
              !known.body.cuts.every((cut) => cut.mark)
                ? 'made for another unit'
                : undefined,
          })),
        ]}
        chosen={instrument.yardstick ?? ''}
        choose={(id) => {
          change('change the yardstick', (draft) => (draft.yardstick = id || null))
          close()
        }}
      />
      <button
        class="act quiet"
        onclick={() => {
          newYardstick()
          close()
        }}>New yardstick for this KPI</button
      >
    {/snippet}
  </Slot>{#if instrument.by}, sorted by
    <Slot text={{ gap: 'gap', value: 'value', name: 'name' }[instrument.order ?? 'gap']} label="Order">
      {#snippet children(close)}
        <Choices
          choices={[
            { key: 'gap', name: 'gap', note: 'the worst first' },
            { key: 'value', name: 'value', note: 'the largest first' },
            { key: 'name', name: 'name' },
          ]}
          chosen={instrument.order}
          choose={(order) => {
            change('change the order', (draft) => (draft.order = order as Instrument['order']))
            close()
          }}
        />
      {/snippet}
    </Slot>{/if}.
</p>

<style>
  .brief {
    font-size: 16.5px;
    line-height: 1.7;
    color: var(--soft);
  }
  .hint {
    padding: 4px 8px;
  }
</style>
