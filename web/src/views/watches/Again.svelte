<script lang="ts">
  /** What has to be before a change counts again, so that a reading that flutters around a cut is told of once. */
  import { typedNumber } from '../../api/typed'
  import type { Body, Draft } from './draft.svelte'

  interface Props {
    draft: Draft
    change: (edit: Partial<Body>) => void
  }
  let { draft, change }: Props = $props()
  const scale = $derived(draft.choices?.scale ?? 1)
  const shown = $derived(Number(((draft.body.back ?? 0) * scale).toPrecision(9)))
  async function keep(field: HTMLInputElement) {
    const typed = await typedNumber(field.value).catch(() => -1)
    if (typed >= 0) change({ back: typed / scale })
    else field.value = String(shown)
  }
</script>

<div class="fields">
  {#if draft.body.asks !== 'signal' && draft.body.kpi}
    <label
      >A reading
      <input
        class="type-in"
        inputmode="decimal"
        aria-label="How far back over the cut"
        value={shown}
        onchange={(event) => keep(event.currentTarget)}
      />
      {draft.choices?.margin} back over the cut</label
    >
  {/if}
  <label
    >or
    <input
      class="type-in"
      type="number"
      min="0"
      max="24"
      aria-label="Readings back in a row"
      value={draft.body.rest ?? 0}
      onchange={(event) =>
        change({ rest: Math.min(24, Math.max(0, Math.round(Number(event.currentTarget.value)) || 0)) })}
    />
    readings in a row that are back</label
  >
  <p class="small soft">With neither, one reading that is back is enough.</p>
</div>

<style>
  .fields {
    display: grid;
    gap: 8px;
    padding: 4px;
  }
  input {
    width: 72px;
    margin: 0 4px;
  }
</style>
