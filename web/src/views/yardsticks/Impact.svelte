<script lang="ts">
  /** What a change of a yardstick does to every instrument that uses it, on all scorecards. */
  import { api, got, newest, passes, words, type Schemas, type YardstickBody } from '../../api/client'
  import { stateOf } from '../../api/states.svelte'
  import Sign from '../../parts/Sign.svelte'

  let { id, before, after }: { id: string; before: YardstickBody; after: YardstickBody } = $props()
  let found = $state<Schemas['Impact'][] | null>(null)
  let failed = $state('')
  const look = newest(async (one: YardstickBody, other: YardstickBody) => {
    try {
      found = await got(
        api.POST('/api/yardsticks/{key}/impact', {
          params: { path: { key: id } },
          body: { before: one, after: other },
        }),
      )
      failed = ''
    } catch (error) {
      failed = words(error)
      return passes(error)
    }
  })
  $effect(() => {
    look($state.snapshot(before) as YardstickBody, $state.snapshot(after) as YardstickBody)
  })
  const total = $derived(found?.reduce((sum, one) => sum + one.changes.length, 0) ?? 0)
  const MOST = 4
</script>

<div class="impact small" aria-live="polite">
  {#if failed}<p class="wrong">{failed}</p>{/if}
  {#if found}
    <b
      >{total
        ? `${total} ${total === 1 ? 'reading changes' : 'readings change'} state`
        : 'No reading changes state'}</b
    >
    {#each found.filter((one) => one.changes.length) as one, i (i)}
      <p>
        <a class="link" href="#/scorecards/{one.scorecard}">{one.title}</a>, {one.instrument}:
        {#each one.changes.slice(0, MOST) as change (change.label)}
          <span class="change"
            >{change.label}
            <Sign state={change.before} /> → <Sign state={change.after} />
            {stateOf(change.after)?.name ?? 'not graded'}</span
          >
        {/each}
        {#if one.changes.length > MOST}<span class="soft">and {one.changes.length - MOST} more</span>{/if}
      </p>
    {/each}
  {/if}
</div>

<style>
  .impact {
    display: grid;
    gap: 4px;
  }
  .change {
    display: block;
    padding-left: 8px;
  }
</style>
