<script lang="ts">
  /** When a message is sent: at once or together with others, and never in quiet hours. */
  import Choices from '../../parts/Choices.svelte'
  import type { Body } from './draft.svelte'
  import { DAYS } from '../data/clock'

  interface Props {
    body: Body
    change: (edit: Partial<Body>) => void
  }
  let { body, change }: Props = $props()
</script>

<Choices
  choices={[
    { key: 'at once', name: 'at once' },
    { key: 'daily', name: 'in one message a day' },
    { key: 'weekly', name: 'in one message a week' },
  ]}
  chosen={body.when ?? 'at once'}
  choose={(key) => change({ when: key as Body['when'] })}
/>
<div class="fields">
  {#if body.when === 'daily' || body.when === 'weekly'}
    {#if body.when === 'weekly'}
      <label
        >on <select
          class="type-in"
          value={String(body.weekday ?? 0)}
          onchange={(event) => change({ weekday: Number(event.currentTarget.value) })}
        >
          {#each DAYS as day, n (day)}<option value={String(n)}>{day}</option>{/each}
        </select></label
      >
    {/if}
    <label
      >at <input
        class="type-in"
        type="time"
        value={body.at ?? '07:00'}
        onchange={(event) => change({ at: event.currentTarget.value || '07:00' })}
      /></label
    >
  {:else}
    <label class="check"
      ><input
        type="checkbox"
        checked={!!body.quiet_from}
        onchange={(event) =>
          change(
            event.currentTarget.checked
              ? { quiet_from: '22:00', quiet_to: '06:00' }
              : { quiet_from: '', quiet_to: '' },
          )}
      /> not in quiet hours</label
    >
    {#if body.quiet_from}
      <label
        >from <input
          class="type-in"
          type="time"
          value={body.quiet_from}
          onchange={(event) => change({ quiet_from: event.currentTarget.value || '22:00' })}
        /></label
      >
      <label
        >to <input
          class="type-in"
          type="time"
          value={body.quiet_to}
          onchange={(event) => change({ quiet_to: event.currentTarget.value || '06:00' })}
        /></label
      >
    {/if}
  {/if}
  <p class="small soft">
    As clocks go where each reader is; where that is not known, in {body.zone}. The inbox has it at once.
  </p>
</div>

<style>
  .fields {
    display: grid;
    gap: 8px;
    padding: 6px 4px;
  }
  .check {
    display: flex;
    gap: 6px;
  }
</style>
