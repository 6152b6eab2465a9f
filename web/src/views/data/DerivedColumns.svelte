<script lang="ts">
  /** The columns a dataset derives by formulas over the cells of a row, with what they come to while one is typed. */
  import { dequal } from 'dequal'
  import { untrack } from 'svelte'
  import {
    api,
    attempt,
    got,
    newest,
    passes,
    Refusal,
    seen,
    words,
    type Dataset,
    type Schemas,
  } from '../../api/client'
  import { count } from '../../api/numbers'
  import { draftOf, dropDraft, keepDraft } from '../../parts/drafts.svelte'
  import Formula from '../../parts/Formula.svelte'
  import { ROW_FUNCTIONS } from '../../parts/functions'
  import FirstLook from './FirstLook.svelte'

  interface Props {
    dataset: Dataset
    take: (dataset: Dataset) => void
  }
  let { dataset, take }: Props = $props()
  type Derived = Schemas['DerivedBody']
  let at = $state<number | null>(null)
  let draft = $state<Derived | null>(null)
  // What was typed and not kept before this page was left stands there again.
  const about = $derived(`derived:${dataset.id}`)
  $effect(() => {
    const before = untrack(() => draftOf<{ at: number; draft: Derived }>(about))
    if (before && before.value.at <= untrack(() => dataset.derived.length)) ({ at, draft } = before.value)
  })
  $effect(() => {
    const typed = $state.snapshot(draft)
    untrack(() => {
      if (typed && (typed.label || typed.formula) && !dequal(typed, dataset.derived[at!]))
        keepDraft(about, dataset.version, { at, draft: typed })
      else dropDraft(about)
    })
  })
  let look = $state<Schemas['DerivedLook'] | null>(null)
  let problem = $state<Schemas['FormulaProblem'] | null>(null)
  let failed = $state('')
  let editor = $state<ReturnType<typeof Formula> | null>(null)
  const key = $derived(dataset.id)
  const known = $derived(
    dataset.columns
      .filter((column) => {
        const place = dataset.derived.findIndex((one) => one.name === column.name)
        return place < 0 || at === null || place < at
      })
      .map((column) => column.name),
  )
  const ask = newest(async (body: Derived) => {
    try {
      look = await got(api.POST('/api/datasets/{key}/derived/try', { params: { path: { key } }, body }))
      problem = null
    } catch (error) {
      look = null
      const where = error instanceof Refusal ? error.problem.where : undefined
      problem = {
        message: words(error),
        start: Number(where?.['start'] ?? 0),
        end: Number(where?.['end'] ?? 0),
      }
      return passes(error)
    }
  })
  $effect(() => {
    if (draft?.formula.trim()) void ask({ ...$state.snapshot(draft), label: draft.label.trim() || 'New' })
    else [look, problem] = [null, null]
  })
  const keep = (derived: Derived[]) =>
    attempt(
      async () => {
        take(
          await got(
            api.PUT('/api/datasets/{key}/derived', {
              params: { path: { key }, header: seen(dataset.version) },
              body: { derived },
            }),
          ),
        )
        at = draft = null
      },
      (said) => (failed = said),
    )
  const withDraft = () => dataset.derived.toSpliced(at!, 1, $state.snapshot(draft!))
</script>

{#each dataset.derived as one, n (one.name)}
  <div class="line">
    <p><b>{one.label}</b> is <code>{one.formula}</code>.</p>
    <button
      class="act quiet"
      onclick={() => {
        draft = { ...$state.snapshot(one) }
        at = n
      }}>Change</button
    >
    <button class="act quiet" onclick={() => keep(dataset.derived.toSpliced(n, 1))}>Take out</button>
  </div>
{/each}

{#if draft}
  <div class="draft">
    <label class="name"
      >A column called <input
        class="type-in"
        maxlength="120"
        placeholder="Part of the week"
        {@attach (field) => field.focus()}
        bind:value={draft.label}
      /></label
    >
    <div class="field">
      <Formula
        bind:this={editor}
        text={draft.formula}
        columns={known}
        members={{}}
        handles={[]}
        functions={ROW_FUNCTIONS}
        {problem}
        type={(formula) => (draft!.formula = formula)}
      />
    </div>
    <div class="small put">
      <span class="soft">put in</span>
      {#each ROW_FUNCTIONS as [name, says] (name)}
        <button class="act quiet" title={says} onclick={() => editor?.insert(`${name}()`)}>{name}</button>
      {/each}
    </div>
    {#if look}
      <FirstLook columns={look.columns} rows={look.first} keys={look.columns.length - 1} />
      <p class="small" aria-live="polite">
        {#if look.type === 'number'}
          A number{look.least ? `, from ${look.least} to ${look.most}` : ''}
        {:else}
          A {look.type}: {look.values.map((value) => `${value.name} (${count(value.rows)})`).join(', ')}
        {/if}{look.blanks ? `; ${count(look.blanks)} blank` : ''}.
      </p>
    {/if}
    {#if failed}<p class="wrong small" role="alert">{failed}</p>{/if}
    <div>
      <button class="act main" disabled={!look || !draft.label.trim()} onclick={() => keep(withDraft())}
        >Keep the column</button
      >
      <button class="act quiet" onclick={() => (at = draft = null)}>Not now</button>
    </div>
  </div>
{:else}
  {#if failed}<p class="wrong small" role="alert">{failed}</p>{/if}
  <button
    class="act quiet"
    onclick={() => {
      draft = { label: '', formula: '' }
      at = dataset.derived.length
    }}>derive a column by a formula</button
  >
{/if}

<style>
  .line {
    display: flex;
    flex-wrap: wrap;
    align-items: baseline;
    gap: 4px 10px;
    margin-bottom: 4px;
  }
  .line code {
    white-space: normal;
  }
  .line p {
    flex: 1 1 240px;
    min-width: 0;
    overflow-wrap: anywhere;
  }
  .draft {
    display: grid;
    gap: 8px;
    margin: 6px 0 10px;
    min-width: 0;
  }
  .name {
    display: flex;
    align-items: center;
    gap: 8px;
  }
  .name input {
    width: 260px;
  }
  .put {
    display: flex;
    gap: 2px 8px;
    flex-wrap: wrap;
    align-items: center;
  }
</style>
