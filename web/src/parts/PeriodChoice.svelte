<script lang="ts">
  /** Choose a period: its grain, one of that grain, the latest, or a span; and where the financial year begins. */
  import { api, got, seen, words, type CardPicture, type Scope } from '../api/client'
  import { GRAINS, MONTHS } from '../api/periods'
  import Choices from './Choices.svelte'

  interface Props {
    picture: CardPicture
    scope: Scope
    change: (scope: Scope) => void
    /** The calendar was changed: read again. */
    again: () => void
    close: () => void
  }
  let { picture, scope, change, again, close }: Props = $props()

  const grain = $derived(picture.grain)
  const newestFirst = $derived([...picture.periods].reverse())
  const relative = $derived([
    { key: 'complete', name: `The latest complete ${grain}` },
    { key: 'latest', name: `The latest ${grain}`, note: 'which may still be running' },
  ])
  const choices = $derived([
    ...relative,
    ...newestFirst.map((period) => ({ key: period.key, name: period.label })),
  ])
  const span = $derived((scope.period ?? '').includes(',') ? [] : (scope.period ?? '').split('..'))
  const spans = $derived(span.length === 2)
  let from = $state('')
  let to = $state('')
  let failed = $state('')
  $effect(() => {
    from = spans ? span[0]! : (newestFirst[Math.min(2, newestFirst.length - 1)]?.key ?? '')
    to = spans ? span[1]! : (newestFirst[0]?.key ?? '')
  })
  const place = (key: string) => picture.periods.findIndex((period) => period.key === key)
  /** Several that need be no neighbours: each is pressed, and read at once. */
  // svelte-ignore state_referenced_locally
  let several = $state((scope.period ?? '').includes(','))
  const named = $derived(
    relative.some((one) => one.key === scope.period) ? picture.period : (scope.period ?? ''),
  )
  const together = $derived(
    named.split(',').flatMap((part) => {
      const [first, last] = part.split('..')
      const [low, high] = [place(first!), place(last ?? first!)]
      return low < 0 ? [] : picture.periods.slice(low, high + 1).map((period) => period.key)
    }),
  )
  function toggle(key: string) {
    const now = together.includes(key) ? together.filter((held) => held !== key) : [...together, key]
    const ordered = now.sort((a, b) => place(a) - place(b))
    change({ ...scope, grain, period: ordered.join(',') || 'complete' })
  }
  const backwards = $derived(place(from) > place(to))

  async function begin(month: number) {
    try {
      const calendar = await got(api.GET('/api/calendar'))
      await got(
        api.PUT('/api/calendar', {
          params: { header: seen(calendar.version) },
          body: { year_start: month, locale: calendar.locale },
        }),
      )
      failed = ''
      again()
    } catch (error) {
      failed = words(error)
    }
  }
</script>

<div class="grains" role="group" aria-label="Grain">
  {#each GRAINS.filter((one) => picture.grains.includes(one) || one === grain) as known (known)}
    <button
      class:on={known === grain}
      aria-pressed={known === grain}
      onclick={() => change({ ...scope, period: 'complete', grain: known })}>{known}</button
    >
  {/each}
</div>
{#if grain === 'quarter' || grain === 'year'}
  <label class="line small"
    >The financial year begins in
    <select
      class="type-in"
      value={picture.year_start}
      onchange={(event) => begin(Number(event.currentTarget.value))}
    >
      {#each MONTHS as month, i (month)}<option value={i + 1}>{month}</option>{/each}
    </select></label
  >
{/if}
{#if failed}<p class="wrong small">{failed}</p>{/if}
<label class="line small"
  ><input type="checkbox" bind:checked={several} /> several together, neighbours or not</label
>
<div class="list">
  {#if several}
    <Choices choices={choices.slice(relative.length)} many={together} choose={toggle} />
  {:else}
    <Choices
      {choices}
      chosen={scope.period}
      choose={(period) => {
        change({ ...scope, period, grain })
        close()
      }}
    />
  {/if}
</div>
<form
  class="span small"
  onsubmit={(event) => {
    event.preventDefault()
    if (backwards) return
    change({ ...scope, grain, period: from === to ? from : `${from}..${to}` })
    close()
  }}
>
  <span>A span, from</span>
  <select class="type-in" aria-label="From" bind:value={from}>
    {#each picture.periods as period (period.key)}<option value={period.key}>{period.short}</option>{/each}
  </select>
  <span>to</span>
  <select class="type-in" aria-label="To" bind:value={to}>
    {#each picture.periods as period (period.key)}<option value={period.key}>{period.short}</option>{/each}
  </select>
  <button class="act" disabled={backwards}>Read it</button>
  {#if backwards}<p class="wrong">It ends before it begins.</p>{/if}
</form>

<style>
  .grains {
    display: flex;
    border-bottom: 1px solid var(--rule);
    margin-bottom: 6px;
  }
  .grains button {
    flex: 1;
    padding: 6px 8px;
    cursor: pointer;
    border-bottom: 2px solid transparent;
  }
  .grains button:hover {
    background: var(--accent-tint);
  }
  .grains .on {
    font-weight: 650;
    border-bottom-color: var(--accent);
  }
  .list {
    max-height: 250px;
    overflow-y: auto;
  }
  .line,
  .span {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    align-items: center;
    padding: 4px;
  }
  .span {
    border-top: 1px solid var(--rule);
    margin-top: 6px;
    padding-top: 8px;
  }
  select {
    width: auto;
    padding: 3px 5px;
  }
</style>
