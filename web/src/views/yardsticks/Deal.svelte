<script lang="ts">
  /** Bands dealt out: so many alike, or by shares that come to 100 %, of the axis or of the readings so far. */
  import { typedNumber } from '../../api/typed'
  import { api, got, newest, passes, words, type Schemas } from '../../api/client'
  import { stateOf } from '../../api/states.svelte'
  import Sign from '../../parts/Sign.svelte'

  interface Props {
    kpi: string
    by: string | null
    axis: { low: number; high: number } | undefined
    use: (dealt: Schemas['RulesOut']) => void
    close: () => void
  }
  let { kpi, by, axis, use, close }: Props = $props()
  // The axis as it was when this was opened: using the bands may choose another.
  // svelte-ignore state_referenced_locally
  const ends = axis
  let over = $state<Schemas['DealAsk']['over']>('axis')
  let count = $state(4)
  let typed = $state('')
  let dealt = $state<Schemas['RulesOut'] | null>(null)
  let failed = $state('')
  let shares = $state<number[]>([])
  /** What is wrong with one of them. */
  let odd = $state('')
  const read = newest(async (typed: string) => {
    const texts = typed
      .split(/[\s;/]+/)
      .map((share) => share.replace('%', ''))
      .filter(Boolean)
    try {
      shares = await Promise.all(texts.map((share) => typedNumber(share)))
      odd = ''
    } catch (error) {
      odd = words(error)
    }
  })
  $effect(() => void read(typed))
  const look = newest(async (body: Schemas['DealAsk']) => {
    try {
      dealt = await got(api.POST('/api/yardsticks/deal', { body }))
      failed = ''
    } catch (error) {
      failed = words(error)
      return passes(error)
    }
  })
  $effect(() => {
    if (!odd)
      look({
        kpi,
        by,
        over,
        count,
        shares: shares.map((share) => share / 100),
        axis: { low: ends?.low ?? null, high: ends?.high ?? null },
      })
  })
</script>

<section class="sheet pad gap" aria-label="Deal out bands">
  <div class="line">
    <h2 class="minor">Bands dealt out</h2>
    <button class="act quiet" aria-label="Close" onclick={close}>✕</button>
  </div>
  <div class="row">
    <select class="type-in" aria-label="How many bands" bind:value={count} disabled={shares.length > 0}>
      {#each Array.from({ length: 11 }, (_, i) => i + 2) as n (n)}<option value={n}>{n} bands</option>{/each}
    </select>
    <span>of</span>
    <select class="type-in" aria-label="Of what" bind:value={over}>
      <option value="axis">the axis</option>
      <option value="readings">the readings so far</option>
      <option value="last year">last year’s level</option>
    </select>
    {#if over === 'last year'}<span class="soft">as if it were the target</span>{:else}
      <span>in equal shares, or in these</span>
      <input
        class="type-in shares"
        aria-label="Shares in percent"
        placeholder="40 30 20 10"
        bind:value={typed}
      />
    {/if}
  </div>
  {#if failed}<p class="wrong">{failed}</p>{/if}
  {#if odd}<p class="note small" role="alert">{odd} Type for example 40 30 20 10.</p>
  {:else if dealt?.problem}<p class="note small" role="status">{dealt.problem}</p>
  {:else if dealt}
    <ol class="row small">
      {#each dealt.bands as band, i (i)}
        <li>
          <Sign state={band} /> <b>{stateOf(band)?.name}</b> <span class="soft">{dealt.words?.[i]}</span>
        </li>
      {/each}
    </ol>
    <button class="act main" onclick={() => dealt && use(dealt)}>Use these bands</button>
  {/if}
</section>

<style>
  .pad {
    padding: 12px 14px;
    display: grid;
    gap: 8px;
    justify-items: start;
  }
  .line {
    display: flex;
    justify-content: space-between;
    width: 100%;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 12px;
    align-items: center;
  }
  select {
    width: auto;
  }
  .shares {
    width: 200px;
  }
</style>
