<script lang="ts">
  /** The sentence that defines an instrument; each underlined part is a slot. */
  import type { CardPicture, Instrument, Kpi, Picture, Yardstick } from '../../api/client'
  import { faces, kindOf, phrase } from '../../faces/names.svelte'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import ReachSlots from './ReachSlots.svelte'
  import ColourSlot from './ColourSlot.svelte'

  interface Props {
    instrument: Instrument
    picture: Picture | undefined
    grain: string
    kpis: Kpi[]
    yardsticks: Yardstick[]
    segments: CardPicture['segments']
    periods: CardPicture['periods']
    markNames: string[]
    change: (says: string, make: (instrument: Instrument) => void) => void
    setFace: (face: Instrument['face']) => void
    newYardstick: () => void
  }
  let {
    instrument,
    picture,
    grain,
    kpis,
    yardsticks,
    segments,
    periods,
    markNames,
    change,
    setFace,
    newYardstick,
  }: Props = $props()
  const kpi = $derived(kpis.find((known) => known.id === instrument.kpi))
  const segment = $derived(segments.find((known) => known.name === instrument.by))
  const graded = $derived(yardsticks.find((known) => known.id === instrument.yardstick))
  const marks = $derived(instrument.marks ?? [])
  const kind = $derived(kindOf(instrument.face))
  const further = $derived(instrument.further ?? [])
  const quadrant = $derived(instrument.face === 'quadrant')
  const unit = (id: string | null | undefined) => kpis.find((known) => known.id === id)?.body.unit?.kind
  const nameOf = (id: string | null | undefined) => kpis.find((known) => known.id === id)?.body.name
  const everyKpi = $derived(
    kpis.map((known) => ({ key: known.id, name: known.body.name, note: known.body.owner })),
  )
  const scope = $derived(
    segment
      ? `each ${segment.label.toLowerCase()}`
      : instrument.last
        ? `each of the last ${instrument.last} ${grain}s`
        : 'all rows together',
  )
  const order = $derived(instrument.order ?? (instrument.last && !instrument.by ? 'time' : 'gap'))
  const ORDERS = [
    { key: 'gap', name: 'by gap', note: 'the worst first', other: 'the best first' },
    {
      key: 'value',
      name: 'by value',
      note: 'the largest first',
      other: 'the smallest first',
    },
    { key: 'state', name: 'by state', note: 'the worst first', other: 'the best first' },
    { key: 'name', name: 'by name', note: 'from A', other: 'from the end' },
    { key: 'kept', name: 'in their kept order', note: '', other: 'backwards' },
    { key: 'time', name: 'in time', note: 'the oldest first', other: 'the newest first' },
  ]
  const way = $derived(ORDERS.find((known) => known.key === order)!)
  const FIRST = [3, 5, 8, 10, 15, 20]

  function readBy(choice: string) {
    change('change the scope', (draft) => {
      const last = choice.match(/^last:(\d+)$/)
      draft.last = last ? Number(last[1]) : null
      draft.by = last || !choice ? null : choice
      if (!draft.by) draft.first = null
      if (choice) draft.further = []
      if (!choice && kindOf(draft.face).many === 'only' && !(kindOf(draft.face).kpis && draft.further.length))
        draft.face = 'dial'
      if (choice && draft.w < 5) draft.w = 5
    })
  }
  function toggle(name: string) {
    change('change the marks', (draft) => {
      const held = draft.marks ?? []
      draft.marks = held.includes(name) ? held.filter((other) => other !== name) : [...held, name].slice(0, 4)
    })
  }
  function toggleFurther(id: string) {
    change('change the further KPIs', (draft) => {
      const held = draft.further ?? []
      const made = yardsticks.find((known) => known.body.kpi === id)
      const mark = made?.body.cuts.find((cut) => cut.mark)?.mark ?? 'target'
      draft.further = held.some((more) => more.kpi === id)
        ? held.filter((more) => more.kpi !== id)
        : [...held, { kpi: id, yardstick: made?.id ?? null, marks: [mark] }].slice(0, 30)
    })
  }
</script>

<p class="brief">
  Show
  <Slot text={kpi?.body.name ?? 'a KPI'} label="KPI">
    {#snippet children(close)}
      <Choices
        choices={everyKpi}
        chosen={instrument.kpi}
        choose={(id) => {
          change('change the KPI', (draft) => (draft.kpi = id))
          close()
        }}
      />
    {/snippet}
  </Slot>
  {#if kind.kpis && !instrument.by && !instrument.last}
    and
    <Slot text={further.length ? `${further.length} more` : 'no other KPI'} label="Further KPIs">
      {#snippet children()}
        <Choices
          choices={everyKpi.filter((known) => known.key !== instrument.kpi)}
          many={further.map((more) => more.kpi)}
          choose={toggleFurther}
        />
      {/snippet}
    </Slot>
  {/if}
  {#if quadrant}
    up and
    <Slot text={nameOf(instrument.look.quadrant.across) ?? 'another KPI'} label="KPI across">
      {#snippet children(close)}
        <Choices
          choices={everyKpi.filter((known) => known.key !== instrument.kpi)}
          chosen={instrument.look.quadrant.across ?? ''}
          choose={(id) => {
            change('choose what goes across', (draft) => {
              draft.look.quadrant.across = id
              const made = yardsticks.find((known) => known.body.kpi === id)
              draft.look.quadrant.mark = made?.body.cuts.find((cut) => cut.mark)?.mark ?? 'target'
            })
            close()
          }}
        />
      {/snippet}
    </Slot> across
  {/if}
  for
  <Slot text={scope} label="Scope of the instrument">
    {#snippet children(close)}
      <Choices
        choices={[
          {
            key: '',
            name: 'all rows together',
            off: kind.many === 'only' && !kind.kpis,
          },
          ...segments.map((known) => ({
            key: known.name,
            name: `each ${known.label.toLowerCase()}`,
            note: `${known.members.length} members`,
          })),
          ...(quadrant
            ? []
            : [6, 12, 24].map((count) => ({
                key: `last:${count}`,
                name: `each of the last ${count} ${grain}s`,
              }))),
        ]}
        chosen={instrument.by ?? (instrument.last ? `last:${instrument.last}` : '')}
        choose={(choice) => {
          readBy(choice)
          close()
        }}
      />
    {/snippet}
  </Slot>{#if instrument.by && !quadrant}, <Slot
      text={instrument.first ? `the first ${instrument.first}, the rest as one` : 'all of them'}
      label="How many"
    >
      {#snippet children(close)}
        <Choices
          choices={[
            { key: '', name: 'all of them' },
            ...FIRST.map((count) => ({ key: String(count), name: `the first ${count}, the rest as one` })),
          ]}
          chosen={String(instrument.first ?? '')}
          choose={(count) => {
            change('change how many', (draft) => (draft.first = count ? Number(count) : null))
            close()
          }}
        />
      {/snippet}
    </Slot>{/if}<ReachSlots {instrument} {grain} {periods} {segments} {change} />
  as
  <Slot text={phrase(instrument.face)} label="Face">
    {#snippet children(close)}
      <Choices
        choices={faces().map((face) => ({
          key: face.key,
          name: face.phrase,
          note:
            face.many === 'only'
              ? 'for members'
              : face.many === 'each' && (instrument.by || instrument.last)
                ? 'one for each, on one axis'
                : undefined,
        }))}
        chosen={instrument.face}
        choose={(face) => {
          setFace(face as Instrument['face'])
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
  </Slot>{#if quadrant}, dots sized by
    <Slot text={nameOf(instrument.look.quadrant.size) ?? 'nothing'} label="Size of the dots">
      {#snippet children(close)}
        <Choices
          choices={[{ key: '', name: 'nothing', note: 'all the same' }, ...everyKpi]}
          chosen={instrument.look.quadrant.size ?? ''}
          choose={(id) => {
            change('change the size of the dots', (draft) => (draft.look.quadrant.size = id || null))
            close()
          }}
        />
      {/snippet}
    </Slot>{/if}, coloured by
  <ColourSlot
    {instrument}
    {picture}
    {segments}
    kpis={everyKpi}
    {change}
  />{#if (instrument.by || instrument.last) && kind.sorted}, {order === 'kept' ? '' : 'sorted'}
    <Slot text={way.name} label="Order">
      {#snippet children(close)}
        <Choices
          choices={ORDERS.filter((known) => known.key !== (instrument.by ? 'time' : 'kept'))}
          chosen={order}
          choose={(key) => {
            change('change the order', (draft) => (draft.order = key as Instrument['order']))
            close()
          }}
        />
      {/snippet}
    </Slot>,
    <button
      class="slot"
      onclick={() => change('turn the order round', (draft) => (draft.backwards = !draft.backwards))}
      >{(instrument.backwards ? way.other : way.note) || 'as it is kept'}</button
    >{/if}.
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
