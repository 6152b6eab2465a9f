<script lang="ts">
  /** The parts of a composite: which KPIs, with which weight, and what of each is rolled up. */
  import { understoodAs } from '../../api/typed'
  import { percent } from '../../api/numbers'
  import { api, got, type Kpi, type Schemas, type Yardstick } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'

  type Body = Schemas['CompositeBody']
  interface Props {
    composite: Body
    kpis: Kpi[]
    change: (composite: Body) => void
  }
  let { composite, kpis, change }: Props = $props()
  let yardsticks = $state<Yardstick[]>([])
  got(api.GET('/api/yardsticks')).then(
    (found) => (yardsticks = found),
    () => (yardsticks = []),
  )
  const whole = $derived(composite.parts.reduce((sum, part) => sum + part.weight, 0))
  const nameOf = (id: string) => kpis.find((kpi) => kpi.id === id)?.body.name ?? 'a deleted KPI'
  async function weigh(at: number, field: HTMLInputElement) {
    const { value } = await understoodAs(field.value, 'number')
    if (value !== null && value > 0) edit(at, { weight: value })
    else field.value = String(composite.parts[at]!.weight)
  }
  const edit = (at: number, part: Partial<Body['parts'][number]>) =>
    change({
      ...composite,
      parts: composite.parts.map((held, i) => (i === at ? { ...held, ...part } : held)),
    })
  function add(id: string) {
    const made = yardsticks.find((known) => known.body.kpi === id)
    const mark = made?.body.cuts.find((cut) => cut.mark)?.mark ?? 'target'
    change({
      ...composite,
      parts: [...composite.parts, { kpi: id, weight: 1, yardstick: made?.id ?? null, mark }],
    })
  }
  const CLIPS = [0, 0.5, 1, 1.1, 1.2, 1.5, 2]
</script>

<p class="soft by">
  Rolled up by <Slot
    text={composite.by === 'score' ? 'the score of each state' : 'how far each mark is reached'}
    label="Rolled up by"
    width={290}
  >
    {#snippet children(close)}
      <Choices
        choices={[
          { key: 'score', name: 'the score of each state', note: 'the worst state 0%, the best 100%' },
          { key: 'attainment', name: 'how far each mark is reached', note: 'held between two ends' },
        ]}
        chosen={composite.by}
        choose={(by) => {
          change({ ...composite, by: by as Body['by'] })
          close()
        }}
      />
    {/snippet}
  </Slot>{#if composite.by === 'attainment'}, held between
    {#each ['low', 'high'] as const as end (end)}
      {end === 'high' ? ' and ' : ''}<Slot text={percent(composite[end])} label="Held at {end}">
        {#snippet children(close)}
          <Choices
            choices={CLIPS.filter((clip) =>
              end === 'low' ? clip < composite.high : clip > composite.low,
            ).map((clip) => ({ key: String(clip), name: percent(clip) }))}
            chosen={String(composite[end])}
            choose={(clip) => {
              change({ ...composite, [end]: Number(clip) })
              close()
            }}
          />
        {/snippet}
      </Slot>{/each}{/if}.
</p>
<table class="plain parts">
  <thead>
    <tr
      ><th>Part</th><th>{composite.by === 'score' ? 'Graded by' : 'Mark'}</th><th class="right">Weight</th><th
        class="right">Share</th
      ><th></th></tr
    >
  </thead>
  <tbody>
    {#each composite.parts as part, at (part.kpi)}
      <tr>
        <td><a class="link" href="#/kpis/{part.kpi}">{nameOf(part.kpi)}</a></td>
        <td>
          {#if composite.by === 'score'}
            <Slot
              text={yardsticks.find((known) => known.id === part.yardstick)?.body.name ?? 'no yardstick'}
              label="Yardstick of {nameOf(part.kpi)}"
            >
              {#snippet children(close)}
                <Choices
                  choices={yardsticks.map((known) => ({ key: known.id, name: known.body.name }))}
                  chosen={part.yardstick ?? ''}
                  choose={(id) => {
                    edit(at, { yardstick: id })
                    close()
                  }}
                />
              {/snippet}
            </Slot>
          {:else}
            <input
              class="type-in mark"
              aria-label="Mark of {nameOf(part.kpi)}"
              value={part.mark}
              maxlength="40"
              onchange={(event) => edit(at, { mark: event.currentTarget.value.trim() || 'target' })}
            />
          {/if}
        </td>
        <td class="right">
          <input
            class="type-in weight"
            aria-label="Weight of {nameOf(part.kpi)}"
            value={part.weight}
            onchange={(event) => weigh(at, event.currentTarget)}
          />
        </td>
        <td class="right soft">{percent(part.weight / whole)}</td>
        <td class="right">
          <button
            class="act quiet"
            disabled={composite.parts.length < 2}
            aria-label="Take {nameOf(part.kpi)} out"
            onclick={() =>
              change({ ...composite, parts: composite.parts.filter((held) => held.kpi !== part.kpi) })}
            >Take out</button
          >
        </td>
      </tr>
    {/each}
  </tbody>
</table>
<Slot text="Add a part" label="Add a part" width={290}>
  {#snippet children(close)}
    <Choices
      choices={kpis
        .filter((kpi) => !composite.parts.some((part) => part.kpi === kpi.id))
        .map((kpi) => ({ key: kpi.id, name: kpi.body.name, note: kpi.body.owner }))}
      choose={(id) => {
        add(id)
        close()
      }}
    />
  {/snippet}
</Slot>

<style>
  .by {
    line-height: 1.7;
  }
  .parts {
    width: 100%;
    margin: 4px 0 8px;
  }
  .right {
    text-align: right;
  }
  .weight {
    width: 64px;
    text-align: right;
  }
  .mark {
    width: 110px;
  }
  /* On a phone a part is its name, and below it what is said of it. */
  @media (max-width: 760px) {
    thead {
      display: none;
    }
    tr {
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 4px 10px;
      padding: 6px 0;
      border-bottom: 1px solid var(--rule);
    }
    td {
      border: 0;
      padding: 0;
    }
    td:first-child {
      flex-basis: 100%;
    }
  }
</style>
