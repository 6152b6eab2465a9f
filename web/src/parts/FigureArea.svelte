<script lang="ts">
  /** Words that are typed, with live figures: an opening brace offers the KPIs, a colon after one its parts. */
  import { tick } from 'svelte'
  import { api, got } from '../api/client'
  import { beside } from './beside'
  import { folded, has } from './folded'

  interface Props {
    value: string
    label: string
    rows?: number
    most?: number
    write: (text: string) => void
    area?: HTMLTextAreaElement | null
  }
  let { value, label, rows = 5, most = 4000, write, area = $bindable(null) }: Props = $props()
  let known: Promise<{ put: string; name: string }[]> | undefined
  let offered = $state<{ put: string; name: string; note: string }[]>([])
  let at = $state(0)
  let from = 0
  let turn = 0 // what is offered is for the newest of what was typed
  const uid = $props.id()
  const PARTS = [
    { put: 'gap}', name: 'gap', note: 'how far it is from its mark' },
    { put: 'mark}', name: 'mark', note: 'the mark' },
    { put: 'state}', name: 'state', note: 'the state, in a word' },
    { put: 'reached}', name: 'reached', note: 'how much of its mark is reached' },
    { put: 'period}', name: 'period', note: 'the period' },
    { put: 'value in the period before}', name: 'in the period before', note: '' },
    { put: 'value in a year earlier}', name: 'in a year earlier', note: '' },
    { put: 'value in the year to date}', name: 'in the year to date', note: '' },
    { put: 'value of ', name: 'of …', note: 'a member, by its name' },
  ]

  async function handles() {
    try {
      const kpis = await got(api.GET('/api/kpis'))
      return kpis.map((kpi) => ({ put: kpi.body.handle, name: kpi.body.name }))
    } catch {
      known = undefined
      return []
    }
  }
  async function look() {
    if (!area) return
    const mine = ++turn
    const before = area.value.slice(0, area.selectionStart)
    const open = /\{\s*([\p{L}\p{M}\p{N}_]*)(:\s*([\w ]*))?$/u.exec(before)
    if (!open || area.selectionStart !== area.selectionEnd) return close()
    known ??= handles() // asked for once, however fast somebody types
    const every = await known
    if (mine !== turn) return
    at = 0
    if (open[2] !== undefined) {
      const typed = folded(open[3] ?? '')
      from = before.length - (open[3] ?? '').length
      offered = PARTS.filter((part) => part.put.startsWith(typed) || part.name.startsWith(typed))
    } else {
      const typed = folded(open[1]!)
      from = before.length - open[1]!.length
      offered = every
        .filter((one) => one.put.includes(typed) || has(one.name, typed))
        .slice(0, 8)
        .map((one) => ({ put: `${one.put}}`, name: one.name, note: one.put }))
    }
  }
  function close() {
    turn++
    offered = []
  }
  async function take(one: { put: string }) {
    if (!area) return
    const end = area.selectionStart
    const rest = area.value.slice(end)
    const put = one.put.endsWith('}') && rest.startsWith('}') ? one.put.slice(0, -1) : one.put
    const caret = from + one.put.length
    write(area.value.slice(0, from) + put + rest)
    close()
    await tick()
    area.focus()
    area.setSelectionRange(caret, caret)
  }
  function key(event: KeyboardEvent) {
    if (!offered.length) return
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      event.preventDefault()
      at = (at + (event.key === 'ArrowDown' ? 1 : offered.length - 1)) % offered.length
    } else if (event.key === 'Enter' || event.key === 'Tab') {
      event.preventDefault()
      void take(offered[at]!)
    }
  }
</script>

<div class="writes">
  <textarea
    class="type-in"
    bind:this={area}
    {value}
    {rows}
    maxlength={most}
    aria-label={label}
    aria-autocomplete="list"
    aria-controls={offered.length ? `${uid}-offers` : undefined}
    aria-activedescendant={offered.length ? `${uid}-${at}` : undefined}
    oninput={(event) => {
      write(event.currentTarget.value)
      void look()
    }}
    onkeydown={key}
    onclick={look}
    onblur={() => setTimeout(close, 150)}></textarea>
  {#if offered.length}
    <ul
      class="offers sheet"
      id="{uid}-offers"
      role="listbox"
      aria-label="Figures"
      {@attach beside(() => area, close)}
    >
      {#each offered as one, i (one.put)}
        <li
          id="{uid}-{i}"
          role="option"
          aria-selected={i === at}
          onpointerdown={(event) => {
            event.preventDefault()
            void take(one)
          }}
        >
          <b>{one.name}</b> <span class="soft small">{one.note}</span>
        </li>
      {/each}
    </ul>
  {/if}
</div>

<style>
  .writes {
    position: relative;
    display: flex;
    flex: 1;
    flex-direction: column;
    min-height: 0;
  }
  textarea {
    flex: 1;
    width: 100%;
    resize: vertical;
    min-height: 54px;
    line-height: 1.45;
  }
  .offers {
    position: fixed;
    overflow: auto;
    margin: 0;
    padding: 4px;
    color: var(--ink);
    box-shadow: var(--lift);
    list-style: none;
  }
  li {
    display: flex;
    justify-content: space-between;
    gap: 10px;
    padding: 4px 8px;
    border-radius: 3px;
    cursor: pointer;
  }
  li[aria-selected='true'],
  li:hover {
    background: var(--note);
  }
</style>
