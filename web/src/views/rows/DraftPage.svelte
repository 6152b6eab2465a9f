<script lang="ts">
  /** A scorecard as it will be, drawn from the rows: each sheet says why it is there and is changed where it stands. */
  import { typedNumber } from '../../api/typed'
  import { api, got, words, type Placed, type Schemas } from '../../api/client'
  import Better from '../../parts/Better.svelte'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import DraftWaits from './DraftWaits.svelte'
  import UnitSlot from '../kpis/UnitSlot.svelte'
  import Sheet from '../../parts/page/Sheet.svelte'
  import { COLUMNS, GAP, ROW, isInstrument } from '../../parts/page/layout'

  type Draft = Schemas['DraftOut']
  type Ask = Schemas['DraftAsk']
  type Change = Schemas['KpiChangeBody']
  interface Props {
    dataset: string
    /** What is asked for by now, for whoever keeps it. */
    asked: (ask: Ask, draft: Draft) => void
  }
  let { dataset, asked }: Props = $props()
  let draft = $state.raw<Draft | null>(null)
  const begin = (dataset: string): Ask => ({
    dataset,
    title: '',
    dropped: [],
    taken: [],
    kpis: {},
    faces: {},
  })
  let ask = $state.raw<Ask>(begin(''))
  let before = $state.raw<Ask[]>([])
  let failed = $state('')
  let busy = $state(false)
  let turn = 0
  /** The foot of a sheet, under what is drawn. */
  const FOOT = 3

  async function read(next: Ask, undo?: Ask) {
    const mine = ++turn
    busy = true
    failed = ''
    try {
      const found = await got(api.POST('/api/from-rows', { body: next }))
      if (mine !== turn) return
      draft = found
      if (undo) before = [...before, undo]
      ask = next
      asked(next, found)
    } catch (error) {
      if (mine === turn) failed = words(error)
    }
    busy = false
  }
  $effect(() => {
    before = []
    void read(begin(dataset))
  })
  const edit = (change: Partial<Ask>) => void read({ ...ask, ...change }, ask)
  const editKpi = (handle: string, change: Change) =>
    edit({ kpis: { ...ask.kpis, [handle]: { ...ask.kpis?.[handle], ...change } } })
  /** Hold a KPI against a number that was typed. */
  async function holdAgainst(
    kpi: { handle: string; unit: { kind?: string } },
    typed: string,
    close: () => void,
  ) {
    if (!typed.trim()) return
    try {
      const number = await typedNumber(typed, kpi.unit.kind === 'percent' ? 'percent' : 'number')
      close()
      editKpi(kpi.handle, { against: 'number', number })
    } catch (error) {
      failed = words(error)
    }
  }
  const drop = (id: string) => edit({ dropped: [...(ask.dropped ?? []), id] })
  const bring = (id: string) => edit({ dropped: (ask.dropped ?? []).filter((one) => one !== id) })
  function take(handle: string) {
    edit({
      taken: [...(ask.taken ?? []).filter((one) => one !== handle), handle],
      dropped: (ask.dropped ?? []).filter((one) => one !== `kpi:${handle}`),
    })
  }
  function back() {
    const last = before.at(-1)
    before = before.slice(0, -1)
    if (last) void read(last)
  }
  const pictures = $derived(
    Object.fromEntries((draft?.picture.instruments ?? []).map((one) => [one.id, one])),
  )
  const sheetOf = (id: string) => draft?.sheets.find((sheet) => sheet.id === id)
  const kpiOf = (id: string) => draft?.kpis.find((kpi) => kpi.handle === sheetOf(id)?.kpi)
  /** The first sheet of a KPI asks what is to be asked of it. */
  const firstOf = (id: string) => draft?.sheets.find((sheet) => sheet.kpi === sheetOf(id)?.kpi)?.id === id
  /** Sheets one below the other with room for what stands at their foot. */
  function rows(items: Placed[]): (Placed & { top: number })[] {
    const lines = [...new Set(items.map((item) => item.y ?? 0))].sort((a, b) => a - b)
    return items.map((item) => ({
      ...item,
      top: (item.y ?? 0) + lines.filter((y) => y < (item.y ?? 0)).length * FOOT,
    }))
  }
  const placed = (section: Schemas['SectionBody']) => rows((section.instruments ?? []) as Placed[])
</script>

{#if failed}<p class="note" role="alert">{failed}</p>{/if}
{#if draft}
  <div class:dim={busy} aria-busy={busy}>
    {#each draft.body.body.sections as section (section.id)}
      <section aria-label={section.title}>
        <h2>{section.title}</h2>
        <div class="grid" style:--row="{ROW}px" style:--gap="{GAP}px">
          {#each placed(section) as item (item.id)}
            {@const sheet = sheetOf(item.id)}
            {@const kpi = kpiOf(item.id)}
            {#if sheet && kpi && isInstrument(item)}
              <article
                class="sheet item"
                style="--x:{(item.x ?? 0) + 1};--y:{item.top + 1};--w:{Math.min(
                  item.w ?? 3,
                  COLUMNS,
                )};--h:{(item.h ?? 5) + FOOT}"
                aria-label={pictures[item.id]?.title}
                data-instrument={item.id}
              >
                <div class="drawn">
                  <Sheet instrument={item} picture={pictures[item.id]} open={() => undefined} still />
                </div>
                <div class="foot small">
                  {#if firstOf(item.id) && kpi.direction === 'open' && !kpi.known}
                    <Better name={kpi.name} say={(direction) => editKpi(kpi.handle, { direction })} />
                  {:else}
                    <span class="soft why" title={kpi.reason}>{sheet.why}</span>
                  {/if}
                  <span class="slots">
                    <Slot
                      text={sheet.faces.find((face) => face.key === sheet.face)?.name.toLowerCase() ?? ''}
                      label="Face of {kpi.name}"
                    >
                      {#snippet children(close)}
                        <Choices
                          choices={sheet.faces}
                          chosen={sheet.face}
                          choose={(face) => {
                            close()
                            edit({ faces: { ...ask.faces, [sheet.id]: face as Ask['faces'][string] } })
                          }}
                        />
                      {/snippet}
                    </Slot>
                    {#if !kpi.known}
                      · <Slot text="KPI" label={kpi.name} width={330}>
                        {#snippet children(close)}
                          <div class="panel">
                            <p class="small soft">{kpi.reason}</p>
                            <label class="small soft"
                              >Name <input
                                class="type-in"
                                maxlength="120"
                                value={kpi.name}
                                onchange={(event) => {
                                  const name = event.currentTarget.value.trim()
                                  if (!name) return
                                  close()
                                  editKpi(kpi.handle, { name })
                                }}
                              /></label
                            >
                            <label class="small soft"
                              >Formula <textarea
                                class="type-in code"
                                rows="3"
                                value={kpi.formula}
                                onchange={(event) => {
                                  close()
                                  editKpi(kpi.handle, { formula: event.currentTarget.value })
                                }}></textarea></label
                            >
                            <p class="sentence small">
                              Unit: <UnitSlot
                                unit={kpi.unit}
                                change={(unit) => editKpi(kpi.handle, { unit: { ...kpi.unit, ...unit } })}
                              />
                            </p>
                            <p class="small">
                              <Better
                                name={kpi.name}
                                say={(direction) => {
                                  close()
                                  editKpi(kpi.handle, { direction })
                                }}
                              />
                            </p>
                          </div>
                        {/snippet}
                      </Slot> · against <Slot
                        text={kpi.against_words}
                        label="What {kpi.name} is held against"
                        width={270}
                      >
                        {#snippet children(close)}
                          <Choices
                            choices={kpi.choices.filter((one) => one.key !== 'number')}
                            chosen={kpi.against}
                            choose={(against) => {
                              close()
                              editKpi(kpi.handle, { against: against as Change['against'] })
                            }}
                          />
                          <label class="small soft number"
                            >or a target of <input
                              class="type-in"
                              inputmode="decimal"
                              aria-label="Target of {kpi.name}"
                              placeholder={kpi.unit.kind === 'percent' ? '88%' : ''}
                              onchange={(event) => holdAgainst(kpi, event.currentTarget.value, close)}
                            /></label
                          >
                        {/snippet}
                      </Slot>
                    {:else}, there already{/if}
                  </span>
                  <button
                    class="act away"
                    title="Throw this sheet away"
                    aria-label="Throw away {pictures[item.id]?.title}"
                    onclick={() => drop(item.id)}>✕</button
                  >
                </div>
              </article>
            {/if}
          {/each}
        </div>
      </section>
    {/each}
  </div>
  <DraftWaits {draft} back={before.length ? back : undefined} {take} {bring} />
{:else if !failed}
  <p class="aside-note" role="status">Looking at the columns…</p>
{/if}

<style>
  h2 {
    margin: 12px 0 8px;
  }
  .grid {
    display: grid;
    grid-template-columns: repeat(12, minmax(0, 1fr));
    grid-auto-rows: var(--row);
    gap: var(--gap);
  }
  .item {
    container: sheet / inline-size;
    grid-column: var(--x) / span var(--w);
    grid-row: var(--y) / span var(--h);
    display: flex;
    flex-direction: column;
    min-width: 0;
    min-height: 0;
    padding: 10px 13px 8px;
    overflow: hidden;
  }
  .drawn {
    flex: 1;
    min-height: 0;
    display: flex;
    flex-direction: column;
    overflow: hidden;
  }
  .foot {
    flex: none;
    display: flex;
    flex-wrap: wrap;
    align-items: baseline;
    gap: 2px 10px;
    margin-top: 8px;
    padding-top: 6px;
    border-top: 1px solid var(--rule);
  }
  .why {
    flex-basis: 100%;
    line-height: 1.25;
  }
  .foot > :global(.ask) {
    flex-basis: 100%;
  }
  .slots {
    flex: 1;
    min-width: 0;
  }
  .panel {
    display: grid;
    gap: 8px;
    padding: 4px;
  }
  .panel .type-in {
    width: 100%;
  }
  .code {
    font-family: ui-monospace, monospace;
    font-size: 12.5px;
  }
  .number {
    display: block;
    padding: 8px 10px 4px;
  }
  .foot :global(button) {
    scroll-margin-bottom: 34vh; /* what waits lies over the foot of the window */
  }
  .away {
    min-height: 24px;
    padding: 0 8px;
    color: var(--soft);
  }
  @media (max-width: 900px) {
    .grid {
      display: flex;
      flex-direction: column;
    }
    .item {
      min-height: calc(var(--h) * 30px);
    }
  }
</style>
