<script lang="ts">
  import { count } from '../../api/numbers'
  /** What a KPI is besides its formula, as a sentence whose underlined parts are its controls. */
  import type { Dataset, Schemas } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import NamedDates from '../../parts/NamedDates.svelte'
  import UnitSlot from './UnitSlot.svelte'

  type Body = Schemas['KpiBody']
  interface Props {
    body: Body
    datasets: Dataset[]
    /** Why its unit is the one that was proposed. */
    why?: string
    change: (edit: Partial<Body>) => void
  }
  let { body, datasets, why = '', change }: Props = $props()

  const NATURES: Record<string, string> = {
    rate: 'recomputed from totals',
    flow: 'adds up over time',
    stock: 'a level, the last one counts',
  }
  const dataset = $derived(datasets.find((known) => known.id === body.dataset))
  const unit = $derived(body.unit)
  const dates = $derived(body.named_dates ?? [])
</script>

<p class="sentence">
  A <Slot text={body.nature ?? 'rate'} label="Nature" width={240}>
    {#snippet children(close)}
      <Choices
        choices={Object.entries(NATURES).map(([key, note]) => ({ key, name: key, note }))}
        chosen={body.nature}
        choose={(nature) => {
          change({ nature: nature as Body['nature'] })
          close()
        }}
      />
    {/snippet}
  </Slot> shown as <UnitSlot {unit} change={(edit) => change({ unit: { ...unit, ...edit } })} />{#if why}<span
      class="small soft">{' '}(proposed: {why})</span
    >{/if}{#if body.nature === 'flow'}, pro-rated by <Slot
      text={body.pro_rating === 'last_year' ? 'last year’s shape' : 'days'}
      label="Pro-rating"
      width={300}
    >
      {#snippet children(close)}
        <Choices
          choices={[
            { key: 'days', name: 'days', note: 'after 21 of 30 days, 70% of the target' },
            {
              key: 'last_year',
              name: 'last year’s shape',
              note: 'what share of the period had come by that day a year ago',
            },
          ]}
          chosen={body.pro_rating}
          choose={(way) => {
            change({ pro_rating: way as Body['pro_rating'] })
            close()
          }}
        />
      {/snippet}
    </Slot>{/if}; <Slot
    text={{ inside: 'inside a range', open: 'nobody has said what' }[body.direction as string] ??
      body.direction ??
      'higher'}
    label="Direction"
  >
    {#snippet children(close)}
      <Choices
        choices={[
          { key: 'higher', name: 'higher' },
          { key: 'lower', name: 'lower' },
          { key: 'inside', name: 'inside a range' },
        ]}
        chosen={body.direction}
        choose={(direction) => {
          change({ direction: direction as Body['direction'] })
          close()
        }}
      />
    {/snippet}
  </Slot> is better; graded on <Slot
    text={body.graded_as === 'shown' ? 'the value as shown' : 'the exact value'}
    label="Graded on"
    width={270}
  >
    {#snippet children(close)}
      <Choices
        choices={[
          {
            key: 'exact',
            name: 'the exact value',
            note: '89.96% is under a cut of 90%, though it shows as 90.0%',
          },
          {
            key: 'shown',
            name: 'the value as shown',
            note: 'rounded as it is read: 89.96% is on a cut of 90%',
          },
        ]}
        chosen={body.graded_as}
        choose={(way) => {
          change({ graded_as: way as Body['graded_as'] })
          close()
        }}
      />
    {/snippet}
  </Slot>; owned by <Slot text={body.owner || 'nobody yet'} label="Owner">
    {#snippet children(close)}
      <input
        class="type-in"
        aria-label="Owner"
        maxlength="120"
        value={body.owner}
        onchange={(event) => {
          change({ owner: event.currentTarget.value.trim() })
          close()
        }}
      />
    {/snippet}
  </Slot>; computed from <Slot text={dataset?.name ?? 'a dataset'} label="Dataset">
    {#snippet children(close)}
      <Choices
        choices={datasets.map((known) => ({
          key: known.id,
          name: known.name,
          note: `${count(known.row_count)} rows`,
        }))}
        chosen={body.dataset}
        choose={(id) => {
          change({ dataset: id })
          close()
        }}
      />
    {/snippet}
  </Slot>; <Slot
    text={dates.length === 1 ? dates[0]!.reason : dates.length ? `${dates.length} days` : 'no day'}
    label="Named days"
    width={330}
  >
    {#snippet children()}
      <NamedDates {dates} change={(named_dates) => change({ named_dates })} />
    {/snippet}
  </Slot> named
</p>
