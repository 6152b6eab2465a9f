<script lang="ts">
  /** What is ticked on a day; every change is kept at once, with its way back. */
  import { Refusal, api, got, seen, words, type Dataset, type Schemas } from '../../api/client'
  import { History } from '../../parts/history.svelte'
  import Ticks from './Ticks.svelte'
  import { today } from '../../api/clock'
  import { longDay } from '../../api/days'
  import DayField from '../../parts/DayField.svelte'

  interface Props {
    dataset: Dataset
    kept: (dataset: Dataset) => void
  }
  let { dataset, kept }: Props = $props()
  let list = $state<Schemas['ChecklistOut'] | null>(null)
  let day = $state(today())
  let failed = $state('')
  let unread = $state('')
  // Ticks may come faster than they are kept: each waits for the one before, and is given up where that was refused.
  let waiting = $state(0)
  let refused = 0
  let before: Promise<unknown> = Promise.resolve()
  const history = new History<Schemas['ChecklistBody']>(async (step) => {
    const now = body()
    waiting += 1
    const made = await put(step)
    waiting -= 1
    if (!made) return null
    day = step.day
    list = { ...list!, ...step }
    return now
  })

  async function load() {
    try {
      const path = { key: dataset.id }
      const found = await got(api.GET('/api/datasets/{key}/checklist', { params: { path, query: { day } } }))
      if (waiting) return // what was ticked meanwhile is not there yet
      list = found
      unread = ''
    } catch (error) {
      unread = words(error)
    }
  }
  $effect(() => {
    void [dataset.id, dataset.rows_version, day]
    load()
  })
  const body = (): Schemas['ChecklistBody'] => {
    const { items, steps, done } = $state.snapshot(list)!
    return { day, items, steps, done }
  }
  async function put(next: Schemas['ChecklistBody']) {
    try {
      kept(
        await got(
          api.PUT('/api/datasets/{key}/checklist', {
            params: { path: { key: dataset.id }, header: seen(dataset.version) },
            body: next,
          }),
        ),
      )
      failed = ''
      return true
    } catch (error) {
      failed = words(error)
      if (error instanceof Refusal && error.problem.status === 412) {
        kept(await got(api.GET('/api/datasets/{key}', { params: { path: { key: dataset.id } } })))
        failed =
          'The checklist was changed elsewhere meanwhile. It was loaded again; make your change once more.'
      }
      return false
    }
  }
  async function change(edit: Partial<Schemas['ChecklistBody']>) {
    if (!list) return
    const was = body()
    list = { ...list, ...edit }
    const next = body()
    const from = refused
    waiting += 1
    const kept = before.then(async () => from === refused && (await put(next)))
    before = kept
    if (await kept) history.note(was)
    else refused += 1
    waiting -= 1
    if (!waiting) await load()
  }
</script>

<!-- A step back from what is not kept yet would take others with it. -->
<svelte:window
  onkeydown={(event) => !waiting && history.keys(event)}
  onbeforeunload={(event) => waiting && event.preventDefault()}
/>

<div class="line">
  <h2 class="minor">Ticked as of</h2>
  <DayField value={day} label="As of" keep={(next) => (day = next)} />
  <span class="small soft"
    >A tick holds from that day until it is taken out. Said so far on {list?.days.length ?? 0} days, last on {longDay(
      list?.days.at(-1),
    )}.</span
  >
  <span class="grow"></span>
  <button class="act" disabled={!history.canUndo || waiting > 0} onclick={() => history.undo()}>Undo</button>
  <button class="act" disabled={!history.canRedo || waiting > 0} onclick={() => history.redo()}>Redo</button>
</div>
{#if failed || unread}<p class="note gap" role="alert">{failed || unread}</p>{/if}
{#if list}<Ticks items={list.items} steps={list.steps} done={list.done} {change} />{/if}

<style>
  .line {
    display: flex;
    flex-wrap: wrap;
    gap: 10px;
    align-items: center;
    margin: 0;
  }
  .line :global(input) {
    width: auto;
  }
  .grow {
    flex: 1;
  }
</style>
