<script lang="ts">
  /** Days from which a KPI is otherwise, each with its reason. */
  import type { Schemas } from '../api/client'
  import { mediumDay } from '../api/days'
  import DayField from './DayField.svelte'

  type Named = Schemas['NamedDate']
  interface Props {
    dates: Named[]
    change: (dates: Named[]) => void
  }
  let { dates, change }: Props = $props()
  let day = $state('')
  let reason = $state('')
  let fresh = $state(true)
  const add = () => {
    const made = { day, reason: reason.trim(), new_range: fresh }
    change([...dates, made].sort((a, b) => a.day.localeCompare(b.day)))
    day = reason = ''
  }
</script>

{#each dates as one, i (one.day + one.reason)}
  <div class="one">
    <span
      ><b>{mediumDay(one.day)}</b>
      {one.reason}<span class="small soft">{one.new_range ? ', a new usual range' : ''}</span></span
    >
    <button
      class="act quiet"
      aria-label="Take out {one.reason}"
      onclick={() => change(dates.filter((_, at) => at !== i))}>Take out</button
    >
  </div>
{/each}
<form
  onsubmit={(event) => {
    event.preventDefault()
    if (day && reason.trim()) add()
  }}
>
  <label class="small">From <DayField label="From" value={day} keep={(value) => (day = value)} /></label>
  <label class="small">Why <input class="type-in" maxlength="120" bind:value={reason} /></label>
  <label class="small check"
    ><input type="checkbox" bind:checked={fresh} /> what was before is no longer usual</label
  >
  <button class="act" disabled={!day || !reason.trim()}>Name this day</button>
</form>

<style>
  .one {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 8px;
    padding: 4px 0;
  }
  form {
    display: grid;
    gap: 8px;
    padding-top: 8px;
  }
  .check {
    display: flex;
    gap: 6px;
    align-items: center;
  }
</style>
