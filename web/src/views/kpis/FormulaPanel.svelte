<script lang="ts">
  /** A KPI's formula with its handle, what can be put in, how it reads, and what is doubtful in it. */
  import type { Dataset, Kpi, Schemas } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import Composite from './Composite.svelte'
  import Formula from '../../parts/Formula.svelte'
  import { AGGREGATES, FUNCTIONS, ROW_FUNCTIONS } from '../../parts/functions'

  interface Props {
    body: Schemas['KpiBody']
    columns: Dataset['columns']
    /** KPIs a formula may name. */
    others: Kpi[]
    assumptions: Schemas['Assumption'][]
    preview: Schemas['Preview'] | null
    change: (edit: Partial<Schemas['KpiBody']>) => void
  }
  let { body, columns, others, assumptions, preview, change }: Props = $props()
  let editor = $state<ReturnType<typeof Formula> | null>(null)
  /** The members conditions may name; those of the last formula that could be read. */
  let texts = $state<Record<string, string[]>>({})
  $effect(() => {
    if (Object.keys(preview?.texts ?? {}).length) texts = preview!.texts ?? {}
  })
</script>

<section class="sheet pad">
  <div class="line">
    <h2 class="minor">{body.composite ? 'Composite' : 'Formula'}</h2>
    <span class="small soft"
      >handle <input
        class="handle"
        aria-label="Handle"
        value={body.handle}
        maxlength="60"
        size={Math.max(6, body.handle.length)}
        onchange={(event) => change({ handle: event.currentTarget.value.trim() })}
      /></span
    >
  </div>
  {#if body.composite}
    <Composite composite={body.composite} kpis={others} change={(composite) => change({ composite })} />
    {#if preview?.problem}<p class="wrong small" role="alert">{preview.problem.message}</p>{/if}
  {:else}
    <Formula
      bind:this={editor}
      text={body.formula}
      columns={columns.map((column) => column.name)}
      members={texts}
      handles={[...others, ...assumptions].map((known) => ({
        handle: known.body.handle,
        name: known.body.name,
      }))}
      functions={[...AGGREGATES, ...FUNCTIONS, ...ROW_FUNCTIONS.slice(1)]}
      problem={preview?.problem ?? null}
      type={(formula) => change({ formula })}
    />
    <div class="insert small">
      <span class="soft">put in</span>
      {#each ['sum', 'mean', 'count', 'distinct'] as name (name)}
        <button class="act quiet" onclick={() => editor?.insert(`${name}()`)}>{name}</button>
      {/each}
      <button class="act quiet" onclick={() => editor?.insert(' where ')}>where</button>
      <Slot text="more" label="Functions" width={330}>
        {#snippet children(close)}
          <Choices
            choices={FUNCTIONS.map(([key, note]) => ({ key, name: key, note }))}
            choose={(name) => {
              close()
              editor?.insert(`${name}()`)
            }}
          />
        {/snippet}
      </Slot>
      <Slot text="a column" label="A column" width={280}>
        {#snippet children(close)}
          <Choices
            choices={columns.map((column) => ({
              key: column.name,
              name: column.name,
              note: column.label === column.name ? column.role : `${column.label}, ${column.role}`,
            }))}
            choose={(name) => {
              close()
              editor?.insert(name)
            }}
          />
        {/snippet}
      </Slot>
      {#if others.length || assumptions.length}
        <Slot text="another KPI or an assumption" label="Another KPI" width={280}>
          {#snippet children(close)}
            <Choices
              choices={[...others, ...assumptions].map((known) => ({
                key: known.body.handle,
                name: known.body.name,
                note: `@${known.body.handle}`,
              }))}
              choose={(handle) => {
                close()
                editor?.insert(`@${handle}`)
              }}
            />
          {/snippet}
        </Slot>
      {/if}
    </div>
  {/if}
  {#if preview?.reads_as}
    <p class="note reads"><b>Reads as:</b> {preview.reads_as}</p>
    {#each preview.warnings as warning (warning.message + warning.start)}
      <p class="aside-note reads">
        {warning.message} <code>{body.formula.slice(warning.start, warning.end)}</code>
      </p>
    {/each}
  {/if}
</section>

<style>
  .pad {
    padding: 12px 14px;
  }
  .line {
    display: flex;
    justify-content: space-between;
    align-items: baseline;
    margin-bottom: 8px;
  }
  .handle {
    field-sizing: content;
    border: none;
    border-bottom: 2px solid var(--accent);
    background: transparent;
    padding: 0 2px;
    font-family: ui-monospace, monospace;
    font-size: 12.5px;
  }
  .insert {
    display: flex;
    align-items: center;
    flex-wrap: wrap;
    gap: 2px 8px;
    margin-top: 6px;
  }
  .reads {
    margin-top: 8px;
  }
  .reads code {
    background: none;
    padding: 0;
  }
</style>
