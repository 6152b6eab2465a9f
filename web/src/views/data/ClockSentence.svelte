<script lang="ts">
  /** When rows are read, how they go in, and what has somebody asked first: a sentence whose parts can be changed. */
  import { percent } from '../../api/numbers'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import { DAYS, HOWS, said, zoneSaid, type Change, type Clock } from './clock'

  interface Props {
    body: Change
    change: (body: Change) => void
  }
  let { body, change }: Props = $props()
  const clock = $derived(body.clock as Clock)
  const set = (edit: Partial<Clock>) => change({ ...body, clock: { ...clock, ...edit } })
  const SHARES = [0, 0.05, 0.1, 0.2, 0.5, 1]
  const SUPERSEDED = { dropped: 'dropped', kept: 'kept among the versions' }
  const share = (of: number) => (of >= 1 ? 'any number' : of ? `more than ${percent(of)}` : 'any')
</script>

<!-- prettier-ignore -->
<p class="sentence">Read <Slot text="{said(clock)}{zoneSaid(clock)}" label="When" width={250}>
    {#snippet children()}
      <div class="when">
        <label>Every <select class="type-in" value={clock.every} onchange={(event) => set({ every: event.currentTarget.value as Clock['every'] })}>
            <option value="hour">hour</option><option value="day">day</option><option value="week">week</option><option value="month">month</option>
          </select></label>
        {#if clock.every === 'week'}
          <label>On <select class="type-in" value={String(clock.weekday)} onchange={(event) => set({ weekday: Number(event.currentTarget.value) })}>
              {#each DAYS as day, at (day)}<option value={String(at)}>{day}</option>{/each}
            </select></label>
        {/if}
        {#if clock.every === 'month'}
          <label>On day <input class="type-in" type="number" min="1" max="28" value={clock.day}
              onchange={(event) => event.currentTarget.checkValidity() && set({ day: event.currentTarget.valueAsNumber })} /></label>
        {/if}
        <label>At <input class="type-in" type="time" required value={clock.at}
            onchange={(event) => event.currentTarget.value && set({ at: event.currentTarget.value })} /></label>
        {#if clock.every === 'hour'}<p class="small soft">Only its minutes count.</p>{/if}
        <p class="small soft">Time of {clock.zone}.</p>
      </div>
    {/snippet}
  </Slot>, <Slot text={HOWS[body.how ?? 'replace']} label="How the rows go in" width={250}>
    {#snippet children(close)}
      <Choices choices={Object.entries(HOWS).map(([key, name]) => ({ key, name }))} chosen={body.how}
        choose={(how) => { change({ ...body, how: how as Change['how'] }); close() }} />
    {/snippet}
  </Slot>, and held back where <Slot text={share(body.most_gone ?? 0.2)} label="How many may go" width={230}>
    {#snippet children(close)}
      <Choices choices={SHARES.map((of) => ({ key: String(of), name: of >= 1 ? 'any number may go' : of ? `more than ${percent(of)}` : 'any at all' }))}
        chosen={String(body.most_gone)} choose={(of) => { change({ ...body, most_gone: Number(of) }); close() }} />
    {/snippet}
  </Slot> of the rows or members would go; what was held back is
  <Slot text={SUPERSEDED[body.superseded ?? 'dropped']} label="What was held back" width={250}>
    {#snippet children(close)}
      <Choices choices={Object.entries(SUPERSEDED).map(([key, name]) => ({ key, name }))} chosen={body.superseded ?? 'dropped'}
        choose={(how) => { change({ ...body, superseded: how as Change['superseded'] }); close() }} />
    {/snippet}
  </Slot> once newer rows have come.</p>

<style>
  .when {
    display: grid;
    gap: 8px;
    padding: 6px;
  }
</style>
