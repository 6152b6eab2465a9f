<script lang="ts">
  /** What the rows of a dataset are, how it is called and through which day they are complete. */
  import type { Dataset } from '../../api/client'
  import { longDay } from '../../api/days'
  import { count } from '../../api/numbers'
  import DayField from '../../parts/DayField.svelte'
  import NamedDates from '../../parts/NamedDates.svelte'
  import Slot from '../../parts/Slot.svelte'

  interface Props {
    dataset: Dataset
    rename: (name: string) => void
    /** Have it complete through a day, or follow its rows again. */
    through: (day: string | null) => Promise<void>
    nameDays: (days: Dataset['named_dates']) => void
  }
  let { dataset, rename, through, nameDays }: Props = $props()
  const KIND: Record<string, string> = { sheet: 'typed in here', checklist: 'ticked here' }
  const dates = $derived(dataset.named_dates)
</script>

<p class="sentence">
  {#if dataset.folder}Rows read from the files in {dataset.folder === '.'
      ? 'the folder'
      : dataset.folder},{:else if dataset.kind === 'live'}Rows read live from the table {dataset.connection
      ?.table},{:else}{count(dataset.row_count)} rows {KIND[dataset.kind] ??
      `from ${dataset.file_name}`}{dataset.through && dataset.grain !== 'day'
      ? `, by ${dataset.grain}`
      : ''},{/if} called
  <Slot text={dataset.name} label="Name of the dataset">
    {#snippet children(close)}
      <input
        class="type-in"
        aria-label="Name"
        value={dataset.name}
        maxlength="120"
        onchange={(event) => {
          const name = event.currentTarget.value
          rename(name)
          close()
        }}
      />
    {/snippet}
  </Slot>, complete through
  <Slot
    text={dataset.kind === 'live' && !dataset.through ? 'the last day of its rows' : longDay(dataset.through)}
    label="Last complete day"
  >
    {#snippet children(close)}
      <p class="small soft">A period that runs past this day is partial.</p>
      <DayField
        value={dataset.through ?? ''}
        label="Complete through"
        keep={(day) => {
          close()
          void through(day)
        }}
      />
      <p class="small soft">Enter keeps it, for every scorecard that reads these rows.</p>
      {#if dataset.fixed_through}
        <button
          class="act"
          onclick={() => {
            close()
            void through(null)
          }}>Follow the rows again</button
        >
      {/if}
    {/snippet}
  </Slot>,
  <Slot
    text={dates.length === 1 ? dates[0]!.reason : dates.length ? `${dates.length} days` : 'no day'}
    label="Named days"
    width={330}
  >
    {#snippet children()}
      <p class="small soft">
        Days from which these rows are otherwise, for every KPI that is read from them.
      </p>
      <NamedDates {dates} change={nameDays} />
    {/snippet}
  </Slot> named
</p>
