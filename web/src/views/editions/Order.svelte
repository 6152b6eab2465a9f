<script lang="ts">
  /** A standing order as a sentence: of which scorecard, when, of what, and whether it waits for complete data. */
  import type { Schemas } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import { zoneHere } from '../data/clock'

  type Body = Schemas['StandingBody']
  interface Props {
    body: Body
    cards: { key: string; name: string }[]
    holidays: Schemas['HolidaysOut'][]
    change: (body: Body) => void
  }
  let { body, cards, holidays, change }: Props = $props()
  const EVERY = { day: 'day', week: 'week', month: 'month', quarter: 'quarter', year: 'financial year' }
  const th = (n: number) =>
    n === -1 ? 'last' : `${n}${['th', 'st', 'nd', 'rd'][n % 100 > 10 && n % 100 < 14 ? 0 : n % 10] ?? 'th'}`
  const nth = $derived(`${th(body.nth ?? 3)} ${body.days === 'all' ? 'day' : 'working day'}`)
  const list = $derived(holidays.find((one) => one.id === body.holidays))
  const name = $derived(cards.find((one) => one.key === body.scorecard)?.name ?? 'a scorecard')
  const more = $derived(cards.filter((one) => body.more?.includes(one.key)))
  const toggle = (key: string) =>
    set({
      more: more.some((one) => one.key === key)
        ? (body.more ?? []).filter((one) => one !== key)
        : [...(body.more ?? []), key],
    })
  const set = (edit: Partial<Body>) => change({ ...body, ...edit })
  const choices = (named: Record<string, string>) =>
    Object.entries(named).map(([key, name]) => ({ key, name }))
</script>

<!-- prettier-ignore -->
<p class="sentence">An edition of <Slot text={name} label="Scorecard">
    {#snippet children(close)}<Choices choices={cards} chosen={body.scorecard} choose={(key) => { set({ scorecard: key }); close() }} />{/snippet}
  </Slot>{#if cards.length > 1}, <Slot text={more.length ? `in one book with ${more.map((one) => one.name).join(', ')}` : 'by itself'} label="Book" width={280}>
    {#snippet children()}
      <div class="when">
        {#each cards.filter((one) => one.key !== body.scorecard) as one (one.key)}
          <label><input type="checkbox" checked={body.more?.includes(one.key)} onchange={() => toggle(one.key)} /> {one.name}</label>
        {/each}
        {#if more.length}<label>The book’s title <input class="type-in" maxlength="120" value={body.book} placeholder={name}
            onchange={(event) => set({ book: event.currentTarget.value.trim() })} /></label>{/if}
      </div>
    {/snippet}
  </Slot>{/if}, for every <Slot text={EVERY[body.every ?? 'month']} label="Every" width={200}>
    {#snippet children(close)}<Choices choices={choices(EVERY)} chosen={body.every} choose={(key) => { set({ every: key as Body['every'] }); close() }} />{/snippet}
  </Slot>, made on the <Slot text="{nth}, {body.at}" label="When" width={250}>
    {#snippet children()}
      <div class="when">
        <label>Day <input class="type-in" type="number" min="-1" max="31" value={body.nth}
            onchange={(event) => { const n = event.currentTarget.valueAsNumber; if (event.currentTarget.checkValidity() && n !== 0) set({ nth: n }) }} /></label>
        <label>of <select class="type-in" value={body.days} onchange={(event) => set({ days: event.currentTarget.value as Body['days'] })}>
            <option value="working">working days</option><option value="all">all days</option></select></label>
        <label>At <input class="type-in" type="time" required value={body.at} onchange={(event) => event.currentTarget.value && set({ at: event.currentTarget.value })} /></label>
        <p class="small soft">Of the period after; −1 is its last one. Time of {body.zone ?? zoneHere()}.</p>
      </div>
    {/snippet}
  </Slot>{#if body.days !== 'all'}, holidays by <Slot text={list?.name ?? 'no list'} label="Holidays">
    {#snippet children(close)}<Choices choices={[{ key: '', name: 'no list' }, ...holidays.map((one) => ({ key: one.id, name: one.name, note: `${one.days.length} days` }))]}
      chosen={body.holidays ?? ''} choose={(key) => { set({ holidays: key || null }); close() }} />{/snippet}
  </Slot>{/if}; <Slot text={body.complete === false ? 'whether the data is complete or not' : 'only once the data is complete'} label="Complete" width={270}>
    {#snippet children(close)}<Choices choices={choices({ yes: 'only once the data is complete', no: 'whether the data is complete or not' })} chosen={body.complete === false ? 'no' : 'yes'}
      choose={(key) => { set({ complete: key === 'yes' }); close() }} />{/snippet}
  </Slot>; of those whose time went by, <Slot text={body.missed === 'newest' ? 'the newest alone' : 'every one in order'} label="Missed" width={220}>
    {#snippet children(close)}<Choices choices={choices({ every: 'every one in order', newest: 'the newest alone' })} chosen={body.missed ?? 'every'}
      choose={(key) => { set({ missed: key as Body['missed'] }); close() }} />{/snippet}
  </Slot>, <Slot text={body.publish ? 'published at once' : 'left as a draft'} label="Published" width={220}>
    {#snippet children(close)}<Choices choices={choices({ no: 'left as a draft', yes: 'published at once' })} chosen={body.publish ? 'yes' : 'no'}
      choose={(key) => { set({ publish: key === 'yes' }); close() }} />{/snippet}
  </Slot>.</p>

<style>
  .when {
    display: grid;
    gap: 8px;
    padding: 6px;
  }
</style>
