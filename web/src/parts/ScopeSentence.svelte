<script lang="ts">
  /** Which period and members are read, as a sentence whose underlined parts are its controls. */
  import type { CardPicture, Scope } from '../api/client'
  import Choices from './Choices.svelte'
  import PeriodChoice from './PeriodChoice.svelte'
  import Slot from './Slot.svelte'

  interface Props {
    picture: CardPicture
    /** The period that is gone to, where its page is not there yet. */
    going?: string
    scope: Scope
    change: (scope: Scope) => void
    again: () => void
  }
  let { picture, going, scope, change, again }: Props = $props()

  // Labels are of any language: “every branch” needs no plural of them.
  const members = (name: string) => scope.members?.[name] ?? []
  const told = (name: string, label: string) => {
    const some = members(name)
    if (!some.length) return `every ${label.toLocaleLowerCase()}`
    return some.length > 2 ? `${some[0]} and ${some.length - 1} more` : some.join(' and ')
  }
  /** Few segments are all named; of many those that are narrowed, and the rest stands behind one word. */
  const FEW = 3
  const named = $derived(
    picture.segments.length <= FEW
      ? picture.segments
      : picture.segments.filter((segment) => members(segment.name).length || opened.includes(segment.name)),
  )
  const rest = $derived(picture.segments.filter((segment) => !named.includes(segment)))
  let opened = $state<string[]>([])
  const before = (i: number, count: number) => (i === 0 ? ' for ' : i === count - 1 ? ' and ' : ', ')
  const others = (segment: string) =>
    Object.fromEntries(Object.entries(scope.members ?? {}).filter(([name]) => name !== segment))
  const clear = (segment: string) => change({ ...scope, members: others(segment) })
  function toggle(segment: string, member: string) {
    const held = members(segment)
    const next = held.includes(member) ? held.filter((other) => other !== member) : [...held, member]
    change({ ...scope, members: next.length ? { ...others(segment), [segment]: next } : others(segment) })
  }
</script>

<p class="sentence">
  Reading
  <Slot text={going || picture.period_label || 'no period'} label="Period" width={330}>
    {#snippet children(close)}
      <PeriodChoice {picture} {scope} {change} {again} {close} />
    {/snippet}
  </Slot>{#each named as segment, i (segment.name)}{before(i, named.length + (rest.length ? 1 : 0))}<Slot
      text={told(segment.name, segment.label)}
      label={segment.label}
    >
      {#snippet children()}
        <button
          class="act quiet"
          disabled={!members(segment.name).length}
          onclick={() => clear(segment.name)}
        >
          Every {segment.label.toLocaleLowerCase()}
        </button>
        <Choices
          choices={segment.members.map((name) => ({ key: name, name }))}
          many={members(segment.name)}
          choose={(member) => toggle(segment.name, member)}
        />
      {/snippet}
    </Slot>{/each}{#if rest.length}{before(named.length, named.length + 1)}<Slot
      text={named.length ? 'all else' : 'everything'}
      label="Narrow by"
    >
      {#snippet children(close)}
        <Choices
          choices={rest.map((segment) => ({
            key: segment.name,
            name: segment.label,
            note: `${segment.members.length} members`,
          }))}
          choose={(name) => {
            opened = [...opened, name]
            close()
          }}
        />
      {/snippet}
    </Slot>{/if}{#if picture.partial}<span>, <b class="partial">{picture.partial}</b></span>{/if}
</p>

<style>
  .partial {
    color: var(--ink);
    font-weight: 600;
    background: repeating-linear-gradient(45deg, var(--track) 0 3px, transparent 3px 7px);
    padding: 1px 5px;
    border-radius: 2px;
  }
</style>
