<script lang="ts">
  /** The bench's panel: the selected instrument's brief, faces, yardstick, axis and numbers. */
  import {
    api,
    got,
    settled,
    words,
    type CardPicture,
    type Instrument,
    type Kpi,
    type Picture,
    type Yardstick,
  } from '../../api/client'
  import { markNames } from '../../api/marknames.svelte'
  import Face from '../../faces/Face.svelte'
  import { faces as table, kindOf } from '../../faces/names.svelte'
  import Slot from '../../parts/Slot.svelte'
  import Choices from '../../parts/Choices.svelte'
  import Typed from '../../parts/Typed.svelte'
  import YardstickEditor from '../../parts/YardstickEditor.svelte'
  import Impact from '../yardsticks/Impact.svelte'
  import Brief from './Brief.svelte'
  import Drawn from './Drawn.svelte'
  import type { Session } from './session.svelte'

  interface Props {
    session: Session
    instrument: Instrument
    picture: Picture | undefined
    card: CardPicture
    kpis: Kpi[]
    yardsticks: Yardstick[]
    reload: () => Promise<void>
    copy: () => void
    remove: () => void
  }
  let { session, instrument, picture, card, kpis, yardsticks, reload, copy, remove }: Props = $props()

  const kpi = $derived(kpis.find((known) => known.id === instrument.kpi))
  let faces = $state<Picture[]>([])
  const FACES_MS = 250 // what is still being typed or dragged is drawn in the other faces when it rests
  let uses = $state(0)
  let failed = $state('')
  const held = $derived(instrument.yardstick ? session.yardsticks[instrument.yardstick] : undefined)
  const segments = $derived(card.segments.filter((segment) => kpi && known.includes(segment.name)))
  let known = $state<string[]>([])
  const offered = $derived(
    markNames(...(instrument.marks ?? []), ...(held?.body.cuts.map((cut) => cut.mark) ?? [])),
  )
  /** Whose cuts the strip shows: the first in the list, and the same one while a value is rehearsed on it. */
  let member = $state<string | null>(null)
  $effect(() => {
    if (picture && !picture.rehearsed) member = picture.readings[0]?.member ?? null
  })

  $effect(() => {
    const dataset = kpi?.body.dataset
    if (!dataset) return
    got(api.GET('/api/datasets/{key}', { params: { path: { key: dataset } } })).then(
      (found) =>
        (known = found.columns.filter((column) => column.role === 'segment').map((column) => column.name)),
      (error) => (failed = words(error)),
    )
  })
  const asked = $derived(JSON.stringify({ instrument: { ...instrument, title: '' }, scope: session.scope }))
  const drawFaces = settled(FACES_MS, async (body: string) => {
    faces = await got(api.POST('/api/scorecards/faces', { body: JSON.parse(body) })).catch(() => [])
  })
  $effect(() => drawFaces(asked))
  $effect(() => {
    const id = instrument.yardstick
    if (!id) return
    session.yardstick(id).catch((error) => (failed = words(error)))
    void session.savedAt
    got(api.GET('/api/yardsticks/{key}/uses', { params: { path: { key: id } } })).then(
      (found) => (uses = found.reduce((sum, use) => sum + use.instruments, 0)),
      () => (uses = 0),
    )
  })

  function change(says: string, make: (draft: Instrument) => void) {
    session.changeInstrument(instrument.id, says, make)
  }
  function setFace(face: Instrument['face']) {
    change('change the face', (draft) => {
      draft.face = face
      const wanted = kindOf(face)
      if (wanted.many === 'only' && !draft.by && !(wanted.kpis && draft.further.length)) {
        draft.by = segments[0]?.name ?? null
        draft.last = null
      }
      if (!wanted.kpis) draft.further = []
      draft.w = Math.max(draft.w ?? 3, Math.min(4, wanted.size[0]))
      draft.h = Math.max(draft.h ?? 6, Math.min(6, wanted.size[1]))
    })
  }
  async function newYardstick() {
    try {
      const name = `${kpi?.body.name ?? 'New'} yardstick`
      const body = await got(
        api.POST('/api/yardsticks/propose', {
          body: { kpi: instrument.kpi, by: instrument.by ?? null, name },
        }),
      )
      const made = await got(api.POST('/api/yardsticks', { body }))
      await reload()
      change('make a yardstick', (draft) => (draft.yardstick = made.id))
    } catch (error) {
      failed = words(error)
    }
  }
  async function ownCopy() {
    if (!held) return
    try {
      const body = {
        ...$state.snapshot(held.body),
        name: `${held.body.name.slice(0, 100)} (copy)`,
        kpi: instrument.kpi,
      }
      const made = await got(api.POST('/api/yardsticks', { body }))
      await reload()
      change('use a copy of the yardstick', (draft) => (draft.yardstick = made.id))
    } catch (error) {
      failed = words(error)
    }
  }
  const decimals = $derived(instrument.decimals ?? kpi?.body.unit?.decimals ?? 0)
  const compact = $derived(instrument.compact ?? kpi?.body.unit?.compact ?? false)
  const unitName = $derived(
    { percent: 'percent', currency: 'currency', number: 'number', duration: 'duration' }[
      kpi?.body.unit?.kind ?? 'number'
    ],
  )
</script>

<aside class="bench" aria-label="Bench">
  {#if failed}<p class="wrong" role="alert">{failed}</p>{/if}
  <Brief
    {instrument}
    grain={card.grain}
    {kpis}
    {yardsticks}
    {segments}
    periods={card.periods}
    markNames={offered}
    {change}
    {setFace}
    {newYardstick}
  />

  <div class="line part">
    <h3 class="soft">Face, drawn with this reading</h3>
    <span class="small soft">{table().length} faces</span>
  </div>
  <div class="faces" role="group" aria-label="Faces">
    {#each table() as face (face.key)}
      {@const drawn = faces.find((picture) => picture.id === face.key)}
      <button
        class:on={instrument.face === face.key}
        aria-pressed={instrument.face === face.key}
        aria-label={face.name}
        title={face.name}
        onclick={() => setFace(face.key)}
      >
        {#if drawn?.readings.length}<Face face={face.key} picture={drawn} look={instrument.look} mini />{/if}
      </button>
    {/each}
  </div>
  <div class="part"><Drawn {instrument} {segments} {change} /></div>

  {#if held && instrument.yardstick}
    <div class="part">
      <YardstickEditor
        body={held.body}
        saved={instrument.yardstick}
        kpi={instrument.kpi}
        by={instrument.by ?? null}
        {member}
        scope={session.scope}
        marks={instrument.marks ?? []}
        markNames={offered}
        heading={held.body.name}
        rehearse={(value) => {
          session.rehearse = value === null ? {} : { [instrument.id]: { value, member } }
          session.read()
        }}
        draft={(body) => instrument.yardstick && session.draft(instrument.yardstick, body)}
        keep={(body, says) =>
          instrument.yardstick && session.changeYardstick(instrument.yardstick, body, says)}
      >
        {#snippet aside()}
          {#if uses > 1}
            <Slot text="used by {uses} instruments" label="Yardstick in use" width={270}>
              {#snippet children(close)}
                <p class="small pad">A change here changes all {uses}, on every scorecard.</p>
                {#if instrument.yardstick && held && session.openedWith(instrument.yardstick)}
                  <Impact
                    id={instrument.yardstick}
                    before={session.openedWith(instrument.yardstick)!}
                    after={held.body}
                  />
                {/if}
                <button
                  class="act quiet"
                  onclick={() => {
                    ownCopy()
                    close()
                  }}>Use a copy for this one</button
                >
              {/snippet}
            </Slot>
          {/if}
        {/snippet}
      </YardstickEditor>
    </div>
  {:else}
    <p class="part small soft">
      Without a yardstick readings are not graded.
      <button class="act quiet" onclick={newYardstick}>Make one for this KPI</button>
    </p>
  {/if}

  <h3 class="soft part">Axis and numbers</h3>
  <div class="axis">
    <label class="small"
      >from<Typed
        label="Axis from"
        kpi={instrument.kpi}
        blank
        shown={picture?.axis?.low_shown ?? ''}
        keep={(low) => change('change the axis', (draft) => (draft.axis = { ...draft.axis, low }))}
      /></label
    >
    <label class="small"
      >to<Typed
        label="Axis to"
        kpi={instrument.kpi}
        blank
        shown={picture?.axis?.high_shown ?? ''}
        keep={(high) => change('change the axis', (draft) => (draft.axis = { ...draft.axis, high }))}
      /></label
    >
    <div class="small">
      shown as<br />
      <Slot
        text="{unitName}, {decimals} {decimals === 1 ? 'decimal' : 'decimals'}{compact ? ', compact' : ''}"
        label="Number format"
        width={230}
      >
        {#snippet children()}
          <Choices
            choices={[0, 1, 2, 3].map((places) => ({
              key: String(places),
              name: `${places} ${places === 1 ? 'decimal' : 'decimals'}`,
            }))}
            chosen={String(decimals)}
            choose={(places) => change('change the decimals', (draft) => (draft.decimals = Number(places)))}
          />
          {#if kpi?.body.unit?.kind !== 'percent'}
            <label class="check small"
              ><input
                type="checkbox"
                checked={compact}
                onchange={(event) =>
                  change(
                    'change the number format',
                    (draft) => (draft.compact = event.currentTarget.checked),
                  )}
              /> compact: thousands as k, millions as m</label
            >
          {/if}
          <button
            class="act quiet"
            onclick={() =>
              change('use the KPI’s number format', (draft) => {
                draft.decimals = null
                draft.compact = null
              })}>As the KPI has it</button
          >
        {/snippet}
      </Slot>
    </div>
  </div>
  <div class="line small">
    <label class="check"
      ><input
        type="checkbox"
        checked={instrument.ticks}
        onchange={(event) =>
          change('change the ticks', (draft) => (draft.ticks = event.currentTarget.checked))}
      /> ticks</label
    >
    {#if instrument.axis?.low != null || instrument.axis?.high != null}
      <button
        class="act quiet"
        onclick={() => change('choose the axis', (draft) => (draft.axis = { low: null, high: null }))}
        >Choose the axis for me</button
      >
    {/if}
  </div>

  <h3 class="soft part">Title</h3>
  <input
    class="type-in"
    aria-label="Title"
    placeholder={picture?.title}
    value={instrument.title ?? ''}
    maxlength="120"
    onchange={(event) =>
      change('rename an instrument', (draft) => (draft.title = event.currentTarget.value.trim()))}
  />
  <div class="acts part">
    <button class="act" onclick={copy}>Copy this instrument</button>
    <button class="act" onclick={remove}>Delete this instrument</button>
  </div>
</aside>

<style>
  .bench {
    padding: 16px 18px 30px;
  }
  .line {
    display: flex;
    justify-content: space-between;
    align-items: baseline;
    gap: 8px;
  }
  h3 {
    font-size: 12.5px;
  }
  .part {
    margin-top: 14px;
  }
  .faces {
    display: grid;
    grid-template-columns: repeat(6, 1fr);
    gap: 7px;
    margin-top: 5px;
  }
  .faces button {
    display: grid;
    align-content: center;
    gap: 2px;
    height: 50px;
    padding: 4px;
    overflow: hidden;
    border: 1px solid var(--rule);
    border-radius: 4px;
    cursor: pointer;
  }
  .faces button:hover:not(:disabled) {
    border-color: var(--accent);
  }
  .faces button.on {
    border: 2px solid var(--accent);
    background: var(--accent-tint);
  }
  .faces button:disabled {
    opacity: 0.4;
    cursor: default;
  }
  .acts {
    display: flex;
    gap: 8px;
  }
  .axis {
    display: grid;
    grid-template-columns: 1fr 1fr 1.4fr;
    gap: 8px;
    margin: 4px 0 6px;
  }
  .check {
    display: inline-flex;
    gap: 6px;
    align-items: center;
    padding: 4px 8px;
  }
  .pad {
    padding: 4px 8px;
  }
  input[type='checkbox'] {
    accent-color: var(--accent);
  }
</style>
