<script lang="ts">
  /** The unit of a KPI or an assumption, as a part of a sentence. */
  import type { Schemas } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'

  type Unit = Schemas['UnitBody']
  let { unit, change }: { unit: Unit; change: (edit: Partial<Unit>) => void } = $props()

  // Those most asked for first, then every other one of ISO 4217 that the browser knows.
  const OFTEN = [
    'GBP',
    'EUR',
    'USD',
    'NOK',
    'SEK',
    'DKK',
    'CHF',
    'JPY',
    'AUD',
    'CAD',
    'INR',
    'PLN',
    'CZK',
    'BRL',
    'ZAR',
  ]
  const CURRENCIES = [...new Set([...OFTEN, ...Intl.supportedValuesOf('currency')])]
  const kind = $derived(
    {
      percent: 'percent',
      currency: unit.currency,
      duration: 'duration',
      number: unit.text ? `number of ${unit.text}` : 'number',
    }[unit.kind],
  )
  const unitTold = $derived(
    `${kind}, ${unit.decimals} ${unit.decimals === 1 ? 'decimal' : 'decimals'}${unit.compact ? ', compact' : ''}`,
  )
</script>

<Slot text={unitTold} label="Unit" width={250}>
  {#snippet children()}
    <Choices
      choices={[
        { key: 'number', name: 'number' },
        { key: 'percent', name: 'percent', note: 'kept as a fraction, 0.88 reads 88%' },
        { key: 'currency', name: 'currency' },
        { key: 'duration', name: 'duration', note: 'shown as 1 h 35 min' },
      ]}
      chosen={unit.kind}
      choose={(kind) => change({ kind: kind as 'number' })}
    />
    <div class="unit">
      {#if unit.kind === 'currency'}
        <label
          >code <select
            class="type-in"
            value={unit.currency}
            onchange={(event) => change({ currency: event.currentTarget.value })}
            >{#each CURRENCIES.includes(unit.currency ?? 'GBP') ? CURRENCIES : [unit.currency, ...CURRENCIES] as code (code)}<option
                >{code}</option
              >{/each}</select
          ></label
        >
      {:else if unit.kind === 'duration'}
        <label
          >its values count <select
            class="type-in"
            value={unit.text || 'min'}
            onchange={(event) => change({ text: event.currentTarget.value })}
            ><option value="s">seconds</option><option value="min">minutes</option><option value="h"
              >hours</option
            ></select
          ></label
        >
      {:else if unit.kind === 'number'}
        <label
          >unit text <input
            class="type-in"
            maxlength="20"
            value={unit.text}
            oninput={(event) => change({ text: event.currentTarget.value.trim() })}
            placeholder="L, min, …"
          /></label
        >
      {/if}
      <label
        >decimals <select
          class="type-in"
          value={unit.decimals}
          onchange={(event) => change({ decimals: Number(event.currentTarget.value) })}
          >{#each [0, 1, 2, 3, 4] as places (places)}<option value={places}>{places}</option>{/each}</select
        ></label
      >
      <label class="check"
        ><input
          type="checkbox"
          checked={unit.sign}
          onchange={(event) => change({ sign: event.currentTarget.checked })}
        /> always with its sign, as +3.1</label
      >
      {#if unit.kind === 'number' || unit.kind === 'currency'}<label class="check"
          ><input
            type="checkbox"
            checked={unit.compact}
            onchange={(event) => change({ compact: event.currentTarget.checked })}
          /> compact, as £412.6k</label
        >{/if}
    </div>
  {/snippet}
</Slot>

<style>
  .unit {
    display: grid;
    gap: 5px;
    padding: 6px 8px;
    border-top: 1px solid var(--rule);
    margin-top: 4px;
  }
  .check {
    display: flex;
    gap: 6px;
    align-items: center;
  }
</style>
