<script lang="ts">
  /** A number as it is typed in a KPI's unit: says what it was read as, and asks about a doubtful one. */
  import { api, got, words, type Schemas } from '../api/client'

  interface Props {
    shown: string
    label: string
    kpi?: string
    /** The member it is for, by segment: its readings tell what is far from usual. */
    of?: Record<string, string>
    unit?: Schemas['UnitBody']
    blank?: boolean
    keep: (value: number | null) => void
  }
  let { shown, label, kpi, of = {}, unit, blank = false, keep }: Props = $props()
  let text = $state<string | null>(null)
  let said = $state<Schemas['Understood'] | null>(null)
  let refused = $state('')
  let turn = 0

  async function understand(): Promise<Schemas['Understood'] | null> {
    const mine = ++turn
    const asked = text ?? ''
    try {
      const body = {
        text: asked,
        kpi: kpi ?? null,
        of,
        unit: unit ?? { kind: 'number', decimals: 0, currency: 'GBP', text: '', compact: false, sign: false },
      } as Schemas['UnderstandAsk']
      const answer = await got(api.POST('/api/kpis/understand', { body }))
      if (mine === turn) {
        said = answer
        refused = ''
      }
      return answer
    } catch (error) {
      refused = words(error)
      return null
    }
  }

  async function commit(sure = false) {
    if (text === null) return
    if (!text.trim() && blank) {
      reset()
      return keep(null)
    }
    if (text.trim() === shown) return reset()
    const answer = await understand()
    if (!answer || answer.value === null || answer.value === undefined || (answer.doubt && !sure)) return
    reset()
    keep(answer.value)
  }
  function reset() {
    text = null
    said = null
    refused = ''
  }
</script>

<span class="typed">
  <input
    class="type-in"
    aria-label={label}
    value={text ?? shown}
    onfocus={(event) => event.currentTarget.select()}
    oninput={(event) => {
      text = event.currentTarget.value
      if (text.trim()) understand()
    }}
    onkeydown={(event) => {
      if (event.key === 'Enter') commit()
      if (event.key === 'Escape' && text !== null) {
        event.stopPropagation()
        reset()
      }
    }}
    onblur={() => commit()}
  />
  {#if refused || said?.problem}
    <span class="wrong" role="alert">{refused || said?.problem}</span>
  {:else if said?.doubt}
    <span class="wrong" role="alert"
      >{said.doubt}
      <button class="act quiet" onmousedown={() => commit(true)}>Keep {said.shown}</button></span
    >
  {:else if said?.shown && text !== null}
    <span class="soft small" aria-live="polite">read as {said.shown}</span>
  {/if}
</span>

<style>
  .typed {
    display: flex;
    flex-direction: column;
    gap: 2px;
    min-width: 0;
  }
</style>
