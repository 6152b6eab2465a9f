<script lang="ts">
  /** What a dataset takes from others, a sentence each, and how its keys are found there. */
  import {
    api,
    attempt,
    got,
    newest,
    passes,
    seen,
    words,
    type Dataset,
    type Schemas,
  } from '../../api/client'
  import { count } from '../../api/numbers'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import FirstLook from './FirstLook.svelte'

  interface Props {
    dataset: Dataset
    others: Dataset[]
    /** The dataset as it is after a change. */
    take: (dataset: Dataset) => void
  }
  let { dataset, others, take }: Props = $props()
  type Lookup = Schemas['LookupBody']
  let matches = $state<Schemas['MatchedOut'][]>([])
  /** The one that is being written: the place of one that is kept, or behind them. */
  let at = $state<number | null>(null)
  let draft = $state<Lookup | null>(null)
  let look = $state<Schemas['LookupLook'] | null>(null)
  let failed = $state('')
  let doubt = $state('')
  const key = $derived(dataset.id)
  const here = $derived(dataset.columns.filter((column) => column.origin !== 'derived'))
  const nameOf = (id: string) => others.find((other) => other.id === id)?.name ?? id
  const there = $derived(others.find((other) => other.id === draft?.dataset)?.columns ?? [])
  const ready = $derived(!!draft?.take.length && draft.on.every((pair) => pair.here && pair.there))

  $effect(() => {
    void dataset.version
    if (!dataset.lookups.length) matches = []
    else
      got(api.GET('/api/datasets/{key}/lookups', { params: { path: { key } } }))
        .then((found) => (matches = found))
        .catch((error) => (failed = words(error)))
  })
  const ask = newest(async (body: Lookup) => {
    try {
      look = await got(api.POST('/api/datasets/{key}/lookups/try', { params: { path: { key } }, body }))
      doubt = ''
    } catch (error) {
      look = null
      doubt = words(error)
      return passes(error)
    }
  })
  $effect(() => {
    if (draft && ready) void ask($state.snapshot(draft))
    else [look, doubt] = [null, '']
  })

  /** A lookup into a dataset, by the columns that are called alike and hold the same kind of cell. */
  function begin(id: string) {
    const other = others.find((one) => one.id === id)!
    const same = other.columns.find((theirs) =>
      here.some((mine) => mine.name === theirs.name && mine.type === theirs.type && mine.role !== 'period'),
    )
    draft = {
      dataset: id,
      on: [{ here: same?.name ?? '', there: same?.name ?? '' }],
      take: other.columns
        .filter((column) => column.name !== same?.name && !here.some((mine) => mine.name === column.name))
        .slice(0, 3)
        .map((column) => ({ column: column.name })),
    }
    at ??= dataset.lookups.length
  }
  const keep = (lookups: Lookup[]) =>
    attempt(
      async () => {
        take(
          await got(
            api.PUT('/api/datasets/{key}/lookups', {
              params: { path: { key }, header: seen(dataset.version) },
              body: { lookups },
            }),
          ),
        )
        at = draft = null
      },
      (said) => (failed = said),
    )
  const withDraft = () => dataset.lookups.toSpliced(at!, 1, $state.snapshot(draft!))
  const choices = (columns: Dataset['columns']) =>
    columns.map((column) => ({
      key: column.name,
      name: column.label,
      note: `${column.type}, ${column.role}`,
    }))
  const labelOf = (columns: Dataset['columns'], name: string) =>
    columns.find((column) => column.name === name)?.label ?? name
  const listed = (names: string[]) =>
    names.length > 1 ? `${names.slice(0, -1).join(', ')} and ${names.at(-1)}` : (names[0] ?? 'nothing yet')
</script>

{#snippet sentence(lookup: Lookup)}
  takes <b>{listed(lookup.take.map((one) => one.label ?? one.column))}</b> from
  <a class="slot" href="#/data/{lookup.dataset}">{nameOf(lookup.dataset)}</a> where
  {#each lookup.on as pair, n (n)}{n ? ' and ' : ''}<b>{labelOf(here, pair.here)}</b>
    {pair.here === pair.there ? 'is the same' : `is the same as ${pair.there} there`}{/each}.
{/snippet}

{#each dataset.lookups as lookup, n (n)}
  <div class="line">
    <p>
      {@render sentence(lookup)}
      {#if matches[n]}
        {@const found = matches[n]}
        <span class="soft small"
          >{found.found + found.blank === found.rows
            ? `every key is found`
            : `found for ${count(found.found)} of ${count(found.rows)} rows`}{found.blank
            ? `; ${count(found.blank)} without a key`
            : ''}{#if found.keys_missing}; not found: {found.missing
              .slice(0, 3)
              .map((key) => `${key.name} (${count(key.rows)})`)
              .join(', ')}{found.keys_missing > 3 ? ` and ${found.keys_missing - 3} more` : ''}{/if}</span
        >
      {/if}
    </p>
    <button
      class="act quiet"
      onclick={() => {
        draft = structuredClone($state.snapshot(lookup))
        at = n
      }}>Change</button
    >
    <button class="act quiet" onclick={() => keep(dataset.lookups.toSpliced(n, 1))}>Take out</button>
  </div>
{/each}

{#if draft}
  <div class="draft">
    <p class="sentence">
      takes
      <Slot
        text={listed(
          draft.take.map((one) =>
            labelOf(
              there.filter((column) => column.name === one.column),
              one.label ?? one.column,
            ),
          ),
        )}
        label="Columns to take"
        width={280}
      >
        {#snippet children()}
          <Choices
            choices={choices(there.filter((column) => !draft!.on.some((pair) => pair.there === column.name)))}
            many={draft!.take.map((one) => one.column)}
            choose={(column) => {
              const held = draft!.take
              draft!.take = held.some((one) => one.column === column)
                ? held.filter((one) => one.column !== column)
                : [...held, { column }]
            }}
          />
        {/snippet}
      </Slot>
      from
      <Slot text={nameOf(draft.dataset)} label="From which dataset" width={280}>
        {#snippet children(close)}
          <Choices
            choices={others.map((other) => ({ key: other.id, name: other.name }))}
            chosen={draft!.dataset}
            choose={(id) => {
              close()
              begin(id)
            }}
          />
        {/snippet}
      </Slot>
      where
      {#each draft.on as pair, n (n)}
        {n ? 'and' : ''}
        <Slot text={labelOf(here, pair.here) || 'a column'} label="Key here" width={260}>
          {#snippet children(close)}
            <Choices
              choices={choices(here)}
              chosen={pair.here}
              choose={(name) => {
                pair.here = name
                close()
              }}
            />
          {/snippet}
        </Slot>
        is the same as
        <Slot text={labelOf(there, pair.there) || 'a column'} label="Key there" width={260}>
          {#snippet children(close)}
            <Choices
              choices={choices(there)}
              chosen={pair.there}
              choose={(name) => {
                pair.there = name
                close()
              }}
            />
          {/snippet}
        </Slot>
        there
      {/each}
    </p>
    <div class="small">
      {#if draft.on.length < 2}
        <button class="act quiet" onclick={() => draft!.on.push({ here: '', there: '' })}
          >by a second key too</button
        >
      {:else}
        <button class="act quiet" onclick={() => draft!.on.pop()}>by the first key alone</button>
      {/if}
    </div>
    {#if doubt}<p class="wrong small" role="alert">{doubt}</p>{/if}
    {#if look}
      <FirstLook columns={look.columns} rows={look.first} keys={draft.on.length} />
      <p class="small" aria-live="polite">
        {#if look.keys_missing}
          <b>{count(look.keys_missing)} {look.keys_missing === 1 ? 'key is' : 'keys are'} not found</b>, in
          {count(look.rows - look.found - look.blank)} of {count(look.rows)} rows:
          {look.missing
            .slice(0, 8)
            .map((key) => `${key.name} (${count(key.rows)})`)
            .join(', ')}{look.keys_missing > 8 ? ` and ${look.keys_missing - 8} more` : ''}. They are read as
          a member of their own, “(not found)”.
        {:else}Every key of {count(look.rows - look.blank)} rows is found.{/if}
        {#if look.blank}{count(look.blank)} rows have no key.{/if}
      </p>
    {/if}
    {#if failed}<p class="wrong small" role="alert">{failed}</p>{/if}
    <div>
      <button class="act main" disabled={!ready || !look} onclick={() => keep(withDraft())}>Take them</button>
      <button class="act quiet" onclick={() => (at = draft = null)}>Not now</button>
    </div>
  </div>
{:else if failed}<p class="wrong small" role="alert">{failed}</p>{/if}
<!-- It stays where it is while a sentence is written: a list that is taken away as it closes is still read. -->
{#if others.length}
  <span hidden={draft !== null}>
    <Slot text="take columns from another dataset" label="Take columns from another dataset" width={280}>
      {#snippet children(close)}
        <Choices
          choices={others.map((other) => ({ key: other.id, name: other.name }))}
          choose={(id) => {
            close()
            begin(id)
          }}
        />
      {/snippet}
    </Slot>
  </span>
{/if}

<style>
  .line {
    display: flex;
    flex-wrap: wrap;
    align-items: baseline;
    gap: 4px 10px;
    margin-bottom: 4px;
  }
  .line p {
    flex: 1 1 240px;
    min-width: 0;
    overflow-wrap: anywhere;
  }
  .draft {
    margin: 6px 0 10px;
    display: grid;
    justify-items: start;
    gap: 8px;
  }
</style>
