<script lang="ts">
  /** The rows of a dataset: paged, sorted by a column, and found by what stands in them. */
  import type { Snippet } from 'svelte'
  import { api, got, newest, passes, words, type Schemas } from '../../api/client'
  import { count } from '../../api/numbers'

  interface Props {
    dataset: Schemas['DatasetOut']
    heading: Snippet<[Schemas['ColumnOut']]>
    foot: string
  }
  let { dataset, heading, foot }: Props = $props()
  const SIZE = 25
  let offset = $state(0)
  let sort = $state<string | null>(null)
  let down = $state(false)
  let find = $state('')
  let page = $state<Schemas['RowsPage'] | null>(null)
  let failed = $state('')
  /** Many rows take a while to be looked through: that is told. */
  let waiting = $state(false)
  const PATIENCE_MS = 300

  const ask = newest(async (query: { offset: number; sort: string | null; down: boolean; find: string }) => {
    const slow = setTimeout(() => (waiting = true), PATIENCE_MS)
    try {
      const params = { path: { key: dataset.id }, query: { ...query, limit: SIZE } }
      page = await got(api.GET('/api/datasets/{key}/rows/page', { params }))
      failed = ''
    } catch (error) {
      failed = words(error)
      return passes(error)
    } finally {
      clearTimeout(slow)
      waiting = false
    }
  })
  $effect(() => {
    void [dataset.id, dataset.version, dataset.rows_version]
    ask({ offset, sort, down, find })
  })
  function by(name: string) {
    if (sort !== name) [sort, down] = [name, false]
    else if (!down) down = true
    else [sort, down] = [null, false]
    offset = 0
  }
  const last = $derived(page ? Math.min(offset + SIZE, page.total) : 0)
</script>

<div class="tools small">
  <input
    class="type-in"
    type="search"
    placeholder="Find in the rows"
    aria-label="Find in the rows"
    maxlength="200"
    value={find}
    oninput={(event) => {
      find = event.currentTarget.value
      offset = 0
    }}
  />
  {#if waiting}
    <span class="soft" aria-live="polite">Looking through {count(dataset.row_count)} rows …</span>
  {:else if page}
    <span class="soft" aria-live="polite"
      >{#if page.total}{count(offset + 1)} – {count(last)} of {count(page.total)}{find.trim()
          ? ' that hold it'
          : ' rows'}{:else}no row holds it{/if}</span
    >
  {/if}
  {#if page}
    <button class="act quiet" disabled={!offset} onclick={() => (offset = Math.max(0, offset - SIZE))}
      >Earlier</button
    >
    <button class="act quiet" disabled={last >= page.total} onclick={() => (offset += SIZE)}>Further</button>
  {/if}
</div>
{#if failed}<p class="wrong" role="alert">{failed}</p>{/if}
<div class="sheet scroll" class:waiting aria-busy={waiting}>
  <table class="plain">
    <thead>
      <tr>
        {#each dataset.columns as column (column.name)}
          <th aria-sort={sort === column.name ? (down ? 'descending' : 'ascending') : 'none'}>
            {@render heading(column)}
            <button
              class="sort small"
              class:on={sort === column.name}
              aria-label="Sort by {column.label}"
              onclick={() => by(column.name)}
              >{sort === column.name ? (down ? 'sorted, down' : 'sorted, up') : 'sort'}</button
            >
          </th>
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each page?.rows ?? [] as row, i (i)}
        <tr
          >{#each row as cell, j (j)}<td
              class:number={dataset.columns[j]?.type === 'number'}
              class:blank={!cell}>{cell || 'blank'}</td
            >{/each}</tr
        >
      {/each}
    </tbody>
  </table>
  {#if page}<p class="small soft foot">{foot}</p>{/if}
</div>

<style>
  .tools {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 14px;
    align-items: baseline;
  }
  .tools input {
    width: 220px;
  }
  .scroll {
    overflow-x: auto;
  }
  .waiting tbody {
    opacity: 0.45;
  }
  th {
    position: relative;
    vertical-align: top;
    min-width: 122px;
    max-width: 220px;
    padding: 10px 8px 28px !important;
    font-size: 12.5px;
  }
  .sort {
    position: absolute;
    left: 8px;
    bottom: 7px;
    color: var(--accent);
    cursor: pointer;
  }
  .sort:hover {
    text-decoration: underline;
  }
  .sort.on {
    font-weight: 650;
  }
  td {
    max-width: 260px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .number {
    text-align: right;
    padding-right: 22px !important;
  }
  .blank {
    color: var(--soft);
    font-style: italic;
  }
  .foot {
    padding: 8px 10px;
  }
</style>
