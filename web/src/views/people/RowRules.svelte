<script lang="ts">
  /** Which rows of a dataset some read: a sentence each, and one that takes them from another dataset. */
  import { api, got, type Schemas } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import { toggled } from '../../parts/toggled'
  import { named, subjects } from './roles'

  interface Props {
    opening: Schemas['OpeningOut']
    people: Schemas['PeopleOut']
    can: boolean
    change: (slots: Partial<Schemas['OpeningBody']>) => Promise<void>
  }
  let { opening, people, can, change }: Props = $props()
  type Rule = Schemas['RowRule']
  const rules = $derived(opening.body.rules ?? [])
  const from = $derived(opening.body.rules_from ?? null)
  let datasets = $state.raw<Schemas['DatasetOut'][]>([])
  let made = $state<Rule | null>(null)
  const label = (segment: string) => opening.segments.find((one) => one.name === segment)?.label ?? segment
  const few = (names: string[]) =>
    names.length > 4
      ? `${names.slice(0, 4).join(', ')} and ${names.length - 4} more`
      : names.join(', ') || 'no rows yet'
  const whoever = $derived(subjects(people).filter((one) => one.key !== 'makers'))
  const put = (at: number, rule: Rule) => change({ rules: rules.map((one, n) => (n === at ? rule : one)) })
  const drop = (at: number) => change({ rules: rules.filter((_, n) => n !== at) })

  function begin() {
    const segment = opening.segments[0]
    if (segment) made = { who: 'everyone', segment: segment.name, members: [] }
  }
  async function choose(rule: Rule) {
    made = rule
    if (!rule.members.length) return
    const kept = rule
    made = null
    await change({ rules: [...rules, kept] })
  }
  async function list() {
    datasets = (await got(api.GET('/api/datasets')).catch(() => [])).filter(
      (one) => one.name !== opening.name,
    )
  }
  const told = $derived(datasets.find((one) => one.id === from?.dataset))
  function fromDataset(key: string) {
    const one = datasets.find((known) => known.id === key)
    const segment = opening.segments[0]?.name
    if (!one || !segment || one.columns.length < 2) return
    void change({
      rules_from: { dataset: key, person: one.columns[0]!.name, member: one.columns[1]!.name, segment },
    })
  }
  $effect(() => {
    if (from) void list()
  })
</script>

{#snippet sentence(rule: Rule, take: (rule: Rule) => void)}
  <Slot text={named([rule.who], people)} label="Who">
    {#snippet children(close)}
      <Choices
        choices={whoever}
        chosen={rule.who}
        choose={(key) => {
          take({ ...rule, who: key })
          close()
        }}
      />
    {/snippet}
  </Slot>
  reads, by
  <Slot text={label(rule.segment).toLowerCase()} label="By which segment">
    {#snippet children(close)}
      <Choices
        choices={opening.segments.map((one) => ({ key: one.name, name: one.label }))}
        chosen={rule.segment}
        choose={(key) => {
          take({ ...rule, segment: key, members: key === rule.segment ? rule.members : [] })
          close()
        }}
      />
    {/snippet}
  </Slot>,
  <Slot text={few(rule.members)} label="Whose rows" width={290}>
    {#snippet children()}
      <Choices
        choices={(opening.segments.find((one) => one.name === rule.segment)?.members ?? []).map((name) => ({
          key: name,
          name,
        }))}
        many={rule.members}
        choose={(key) => take({ ...rule, members: toggled(rule.members, key) })}
      />
    {/snippet}
  </Slot>
{/snippet}

<div class="rules">
  {#each rules as rule, at (at)}
    <p class="sentence">
      {#if can}{@render sentence(rule, (next) => next.members.length && put(at, next))} and nothing else.
        <button class="act quiet" onclick={() => drop(at)}>Take out</button>
      {:else}<b>{named([rule.who], people)}</b> reads {few(rule.members)} by {label(
          rule.segment,
        ).toLowerCase()} and nothing else.{/if}
    </p>
  {/each}
  {#if from}
    <p class="sentence">
      Who reads which {label(from.segment).toLowerCase()} stands in
      {#if can && told}
        <a class="link" href="#/data/{from.dataset}">{told.name}</a>: their mail address or team under
        <Slot
          text={told.columns.find((one) => one.name === from.person)?.label ?? from.person}
          label="Column of people"
        >
          {#snippet children(close)}
            <Choices
              choices={told.columns.map((one) => ({ key: one.name, name: one.label }))}
              chosen={from.person}
              choose={(key) => {
                void change({ rules_from: { ...from, person: key } })
                close()
              }}
            />
          {/snippet}
        </Slot>, its {label(from.segment).toLowerCase()} under
        <Slot
          text={told.columns.find((one) => one.name === from.member)?.label ?? from.member}
          label="Column of members"
        >
          {#snippet children(close)}
            <Choices
              choices={told.columns.map((one) => ({ key: one.name, name: one.label }))}
              chosen={from.member}
              choose={(key) => {
                void change({ rules_from: { ...from, member: key } })
                close()
              }}
            />
          {/snippet}
        </Slot>. Whoever does not stand there reads nothing.
        <button class="act quiet" onclick={() => change({ rules_from: null })}>Take out</button>
      {:else}another dataset.{/if}
    </p>
  {/if}
  {#if can}
    {#each made ? [made] : [] as rule, at (at)}<p class="sentence">
        {@render sentence(rule, (next) => void choose(next))}
        <button class="act quiet" onclick={() => (made = null)}>Leave it</button>
      </p>{/each}
    {#if opening.segments.length}
      <p class="acts">
        <button class="act" onclick={begin}>Open some rows to some</button>
        {#if !from}<Slot text="as another dataset says" label="Take it from a dataset" width={280}>
            {#snippet children(close)}
              {#await list() then}
                <Choices
                  choices={datasets.map((one) => ({ key: one.id, name: one.name }))}
                  choose={(key) => {
                    fromDataset(key)
                    close()
                  }}
                />
              {/await}
            {/snippet}
          </Slot>{/if}
      </p>
    {:else}<p class="soft small">
        It has no segment by which its rows could be opened. Give a column that role on its page.
      </p>{/if}
  {/if}
  {#if !rules.length && !from}<p class="soft small">
      Whoever reads its figures reads those of all its rows.
    </p>{/if}
</div>

<style>
  .rules {
    margin-top: 10px;
    padding-top: 10px;
    border-top: 1px solid var(--rule);
  }
  .acts {
    display: flex;
    align-items: center;
    gap: 14px;
    margin: 6px 0;
  }
</style>
