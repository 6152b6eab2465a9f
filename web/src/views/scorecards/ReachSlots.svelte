<script lang="ts">
  /** What an instrument reads where it is not what its page reads: a period and members of its own. */
  import type { CardPicture, Instrument } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'

  interface Props {
    instrument: Instrument
    grain: string
    /** Those of the page, the newest last. */
    periods: CardPicture['periods']
    segments: CardPicture['segments']
    change: (says: string, make: (instrument: Instrument) => void) => void
  }
  let { instrument, grain, periods, segments, change }: Props = $props()
  type Own = Instrument['own']
  const own = $derived(instrument.own)
  const LAST = [2, 3, 6, 12]
  const REACHES: { key: string; name: string; note?: string }[] = $derived([
    { key: 'page', name: 'the page’s period' },
    { key: 'before', name: 'the period before' },
    { key: 'year_earlier', name: 'a year earlier' },
    { key: 'to_date', name: 'the year to date', note: 'up to the page’s period' },
    ...LAST.map((count) => ({ key: `last:${count}`, name: `the last ${count} ${grain}s together` })),
    { key: 'year', name: 'the whole year so far', note: 'the financial year the page’s period is in' },
    ...[...periods]
      .reverse()
      .map((period) => ({ key: `fixed:${period.key}`, name: period.label, note: 'whatever the page reads' })),
  ])
  const keyOf = (held: Own) =>
    held.period === 'last'
      ? `last:${held.last}`
      : held.period === 'fixed'
        ? `fixed:${held.fixed}`
        : held.period
  const chosen = $derived(keyOf(own))
  const text = $derived(REACHES.find((known) => known.key === chosen)?.name ?? own.fixed)
  let typed = $state('')
  let segment = $state('')
  const shown = $derived(segments.find((known) => known.name === segment) ?? segments[0])
  const named = $derived(Object.entries(own.members ?? {}))
  const whose = $derived(
    named.length
      ? named
          .map(([name, members]) => {
            const label = segments.find((known) => known.name === name)?.label.toLowerCase() ?? name
            return members.length === 0
              ? `every ${label}`
              : members.length < 3
                ? members.join(' and ')
                : `${members[0]} and ${members.length - 1} more`
          })
          .join(', ')
      : 'the page’s members',
  )

  function readPeriod(key: string) {
    const [period, rest = ''] = key.split(/:(.*)/s) as [Own['period'], string?]
    change('change the period it reads', (draft) => {
      draft.own = {
        ...draft.own,
        period,
        last: period === 'last' ? Number(rest) : draft.own.last,
        fixed: period === 'fixed' ? rest : '',
      }
    })
  }
  function readMembers(name: string, key: string) {
    change('change the members it reads', (draft) => {
      const members = { ...draft.own.members }
      const held = members[name] ?? []
      if (key === 'page') delete members[name]
      else if (key === 'every') members[name] = []
      else {
        const member = key.slice(1)
        members[name] = held.includes(member) ? held.filter((other) => other !== member) : [...held, member]
      }
      draft.own = { ...draft.own, members }
    })
  }
</script>

, reading
<Slot {text} label="Its period" width={280}>
  {#snippet children(close)}
    <Choices
      choices={REACHES}
      {chosen}
      choose={(key) => {
        readPeriod(key)
        close()
      }}
    />
    <form
      class="other"
      onsubmit={(event) => {
        event.preventDefault()
        if (typed.trim()) readPeriod(`fixed:${typed.trim()}`)
        close()
      }}
    >
      <input
        class="type-in"
        aria-label="Another period"
        placeholder="another, such as 2023 or 2025-Q3"
        bind:value={typed}
      />
    </form>
  {/snippet}
</Slot>{#if segments.length}{' '}
  of
  <Slot text={whose} label="Its members" width={280}>
    {#snippet children()}
      {#if segments.length > 1}
        <div class="segments" role="group" aria-label="Segment">
          {#each segments as known (known.name)}
            <button
              class="act quiet"
              aria-pressed={known.name === shown?.name}
              onclick={() => (segment = known.name)}>{known.label.toLowerCase()}</button
            >
          {/each}
        </div>
      {/if}
      {#if shown}
        {@const held = own.members[shown.name]}
        {#key shown.name}
          <Choices
            choices={[
              { key: 'page', name: 'as the page reads' },
              { key: 'every', name: `every ${shown.label.toLowerCase()}` },
              ...shown.members.map((member) => ({ key: `=${member}`, name: member })),
            ]}
            many={held ? (held.length ? held.map((member) => `=${member}`) : ['every']) : ['page']}
            choose={(key) => readMembers(shown.name, key)}
          />
        {/key}
      {/if}
    {/snippet}
  </Slot>{/if}

<style>
  .other {
    padding: 6px 4px 2px;
    border-top: 1px solid var(--rule);
  }
  .segments {
    display: flex;
    flex-wrap: wrap;
    gap: 2px;
    padding-bottom: 4px;
    border-bottom: 1px solid var(--rule);
  }
</style>
