<script lang="ts">
  /** One cut: a number, or derived from a mark; and whose a value is that lies on it. */
  import type { Cut, Strip } from '../api/client'
  import { stateOf } from '../api/states.svelte'
  import { understoodAs } from '../api/typed'
  import Typed from './Typed.svelte'

  interface Props {
    /** As it comes to here, and as it is held. */
    cut: Strip['cuts'][number]
    held: Cut
    /** The states of the bands below and above it. */
    around: [string, string]
    /** Why it comes to nothing here. */
    reason: string
    kpi: string
    markNames: string[]
    /** Have it derived from a mark, from none: a number. */
    derive: (mark: string) => unknown
    change: (edit: Partial<Cut>, says: string) => void
    type: (to: number) => unknown
    /** None where it is the last one. */
    remove?: () => void
  }
  let { cut, held, around, reason, kpi, markNames, derive, change, type, remove }: Props = $props()

  async function typeFactor(field: HTMLInputElement) {
    const { value } = await understoodAs(field.value, 'number')
    if (value !== null) change({ factor: value }, 'change a factor')
    else field.value = String(held.factor ?? 1)
  }
</script>

<label class="line small"
  >The cut is
  <select class="type-in" value={held.mark ?? ''} onchange={(event) => derive(event.currentTarget.value)}>
    <option value="">a number</option>
    {#each markNames as name (name)}<option value={name}>derived from {name}</option>{/each}
  </select>
</label>
{#if held.mark}
  <div class="line">
    <input
      class="type-in factor"
      aria-label="Factor"
      value={held.factor}
      onchange={(event) => typeFactor(event.currentTarget)}
    />
    <span>× {held.mark} +</span>
    <Typed
      label="Offset"
      {kpi}
      blank
      shown={cut.offset_shown}
      keep={(offset) => change({ offset: offset ?? 0 }, 'change an offset')}
    />
  </div>
  <p class="small soft">
    {cut.words}{cut.shown ? ` = ${cut.shown} here` : `: ${reason}`}
  </p>
{:else}
  <Typed label="Cut value" {kpi} shown={cut.shown} keep={(to) => to !== null && type(to)} />
{/if}
<p class="small">
  Exactly {cut.shown || 'on the cut'} is
  <button
    class="act quiet"
    onclick={() => change({ belongs: held.belongs === 'below' ? 'above' : 'below' }, 'change whose a cut is')}
  >
    {stateOf(around[held.belongs === 'below' ? 0 : 1])?.name}</button
  >, the band {held.belongs === 'below' ? 'below' : 'above'}.
</p>
<button class="act" disabled={!remove} onclick={remove}>Take this cut out</button>

<style>
  .factor {
    width: 64px;
  }
</style>
