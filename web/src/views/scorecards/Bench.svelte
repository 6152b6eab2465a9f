<script lang="ts">
  /** The bench's panel: the selected instrument's brief, faces, yardstick, axis and numbers. */
  import {
    api,
    got,
    seen,
    settled,
    words,
    type CardPicture,
    type Instrument,
    type Kpi,
    type Picture,
    type Schemas,
    type Yardstick,
  } from '../../api/client'
  import { markNames } from '../../api/marknames.svelte'
  import Better from '../../parts/Better.svelte'
  import Slot from '../../parts/Slot.svelte'
  import YardstickEditor from '../../parts/YardstickEditor.svelte'
  import Impact from '../yardsticks/Impact.svelte'
  import Brief from './Brief.svelte'
  import Drawn from './Drawn.svelte'
  import FaceChoice from './FaceChoice.svelte'
  import Numbers from './Numbers.svelte'
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
  const WAITING_MS = 1200
  const FACES_MS = 250 // what is still being typed or dragged is drawn in the other faces when it rests
  let uses = $state(0)
  let failed = $state('')
  /** What the last change of the face changed besides. */
  let changed = $state({ id: '', face: '', says: '' })
  const held = $derived(instrument.yardstick ? session.yardsticks[instrument.yardstick] : undefined)
  const segments = $derived(card.segments.filter((segment) => kpi && known.includes(segment.name)))
  let known = $state<string[]>([])
  const names = $derived(
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
  const asked = $derived(
    JSON.stringify({ instrument: { ...instrument, title: '' }, scope: session.pageScope }),
  )
  /** The instrument as every face would draw it, and what it was asked for. */
  let offered = $state.raw<{ asked: string; offers: Schemas['FaceOffer'][] }>({ asked: '', offers: [] })
  async function offer(body: string) {
    const offers = await got(api.POST('/api/scorecards/faces', { body: JSON.parse(body) }))
    offered = { asked: body, offers }
    // Rows that have not come yet are asked for again, as long as nothing else is asked.
    if (offers.some((one) => one.picture.waiting))
      setTimeout(() => body === asked && drawFaces(body), WAITING_MS)
  }
  const drawFaces = settled(FACES_MS, (body: string) => offer(body).catch(() => {}))
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
  /** Another face, with what it cannot do without. */
  async function setFace(face: Instrument['face']) {
    try {
      if (offered.asked !== asked) await offer(asked)
    } catch (error) {
      failed = words(error)
      return
    }
    const chosen = offered.offers.find((known) => known.instrument.face === face)
    if (!chosen) return
    change('change the face', (draft) => {
      const { by, last, further, look, w, h } = structuredClone(chosen.instrument)
      Object.assign(draft, { face, by, last, further, look, w, h })
    })
    changed = { id: instrument.id, face, says: chosen.says ?? '' }
  }
  /** Which way of its KPI is better, which is kept with the KPI. */
  async function sayBetter(direction: Kpi['body']['direction']) {
    if (!kpi) return
    try {
      const params = { path: { key: kpi.id }, header: seen(kpi.version) }
      await got(api.PUT('/api/kpis/{key}', { params, body: { ...$state.snapshot(kpi.body), direction } }))
      await reload()
    } catch (error) {
      failed = words(error)
    }
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
</script>

<div class="bench">
  <div class="brief-part">
    {#if failed}<p class="wrong" role="alert">{failed}</p>{/if}
    {#if kpi?.body.direction === 'open'}
      <p class="aside-note small">
        <Better name={kpi.body.name} say={sayBetter} /> It is not graded until then.
      </p>
    {/if}
    <Brief
      {instrument}
      {picture}
      grain={card.grain}
      {kpis}
      {yardsticks}
      {segments}
      periods={card.periods}
      markNames={names}
      {change}
      {setFace}
      {newYardstick}
    />

    <div class="settings"><Drawn {instrument} {segments} {change} /></div>
    <Numbers {instrument} {picture} {kpi} {change} />
    <p class="acts">
      <button class="act quiet" onclick={copy}>Copy this instrument</button>
      <button class="act quiet" onclick={remove}>Delete this instrument</button>
    </p>
  </div>

  <div class="faces-part">
    <FaceChoice
      {instrument}
      offers={offered.offers}
      says={changed.id === instrument.id && changed.face === instrument.face ? changed.says : ''}
      undo={() => session.history.undo()}
      choose={setFace}
    />
  </div>

  {#if held && instrument.yardstick}
    <YardstickEditor
      body={held.body}
      saved={instrument.yardstick}
      kpi={instrument.kpi}
      by={instrument.by ?? null}
      {member}
      scope={session.pageScope}
      marks={instrument.marks ?? []}
      markNames={names}
      heading={held.body.name}
      rehearse={(value) => {
        session.rehearse = value === null ? {} : { [instrument.id]: { value, member } }
        session.read()
      }}
      draft={(body) => instrument.yardstick && session.draft(instrument.yardstick, body)}
      keep={(body, says) => instrument.yardstick && session.changeYardstick(instrument.yardstick, body, says)}
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
  {:else}
    <p class="cuts-part small soft">
      Without a yardstick readings are not graded.
      <button class="act quiet" onclick={newYardstick}>Make one for this KPI</button>
    </p>
  {/if}
</div>

<style>
  .bench {
    display: grid;
    grid-template:
      'brief faces proof' auto 'brief cuts proof' 1fr / minmax(0, 1.06fr) minmax(0, 1.85fr)
      minmax(0, 1fr);
    gap: 0 26px;
    padding: 12px 20px 20px;
  }
  .brief-part {
    grid-area: brief;
  }
  .faces-part {
    grid-area: faces;
    min-width: 0;
  }
  .bench :global(.cuts-part) {
    grid-area: cuts;
    margin-top: 12px;
    min-width: 0;
  }
  .bench :global(.trial-part) {
    grid-area: proof;
    margin-top: 0;
    min-width: 0;
  }
  .settings,
  .bench :global(p.settings) {
    font-size: 13.5px;
    line-height: 1.75;
    color: var(--soft);
  }
  .settings {
    margin-top: 4px;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 14px;
    margin-top: 8px;
  }
  .pad {
    padding: 4px 8px;
  }
  @media (max-width: 1100px) {
    .bench {
      grid-template:
        'brief faces' auto
        'brief cuts' auto
        'brief proof' 1fr / minmax(0, 1fr) minmax(0, 1.7fr);
    }
    .bench :global(.trial-part) {
      margin-top: 14px;
    }
  }
  @media (max-width: 760px) {
    .bench {
      display: block;
      padding: 12px 14px 40px;
    }
    .faces-part {
      margin-top: 14px;
    }
  }
</style>
