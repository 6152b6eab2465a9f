<script lang="ts">
  import { count } from '../../api/numbers'
  /** One column looked at closely: what it is for, how it is spread, and its members. */
  import { api, got, words, type Dataset, type Schemas } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import RoleSlot from '../../parts/RoleSlot.svelte'
  import Slot from '../../parts/Slot.svelte'

  interface Props {
    dataset: Dataset
    name: string
    change: (edit: Partial<Schemas['ColumnChange']>) => void
    close: () => void
  }
  let { dataset, name, change, close }: Props = $props()
  let told = $state<Schemas['ColumnLook'] | null>(null)
  let failed = $state('')
  const column = $derived(dataset.columns.find((known) => known.name === name))
  const merges = $derived(dataset.merges[name] ?? {})
  const members = $derived(told?.members ?? [])
  const shown = $derived(members.filter((member) => !member.stands_for))
  const most = $derived(Math.max(1, ...(told?.bars.map((bar) => bar.count) ?? [])))
  const suggested = $derived(members.filter((member) => member.suggested))

  $effect(() => {
    void dataset.version
    const path = { key: dataset.id, name }
    got(api.GET('/api/datasets/{key}/columns/{name}', { params: { path } })).then(
      (found) => {
        told = found
        failed = ''
      },
      (error) => (failed = words(error)),
    )
  })
  const merge = (spelling: string, into: string) => change({ merges: { ...merges, [spelling]: into } })
  const part = (spelling: string) =>
    change({ merges: Object.fromEntries(Object.entries(merges).filter(([old]) => old !== spelling)) })
  function move(at: number, by: number) {
    const order = shown.map((member) => member.name)
    const [taken] = order.splice(at, 1)
    order.splice(at + by, 0, taken!)
    change({ order })
  }
</script>

{#if column}
  <section class="sheet pad" aria-label="Column {column.label}">
    <div class="line">
      <input
        class="title"
        aria-label="Shown as"
        title="Shown as"
        value={column.label}
        maxlength="120"
        onchange={(event) => change({ label: event.currentTarget.value.trim() || column.name })}
      />
      <button class="act quiet" aria-label="Close the column" onclick={close}>✕</button>
    </div>
    <p class="small soft">
      in formulas <code>{column.name}</code>; {column.type}, used as <RoleSlot
        {column}
        choose={(role) => change({ role })}
      />
    </p>
    {#if failed}<p class="wrong small" role="alert">{failed}</p>{/if}
    {#if told}
      <dl class="small">
        <dt>blank</dt>
        <dd>{count(told.blanks)} of {count(told.rows)}</dd>
        <dt>distinct</dt>
        <dd>{count(told.distinct)}</dd>
        {#if told.smallest !== told.largest}
          <dt>from, to</dt>
          <dd>{told.smallest} – {told.largest}</dd>
        {/if}
        {#if told.mean}
          <dt>mean</dt>
          <dd>{told.mean}</dd>
        {/if}
      </dl>
      {#if told.bars.length && column.role !== 'segment'}
        <div
          class:spread={column.type === 'number' || column.type === 'date'}
          class="bars"
          role="img"
          aria-label="Distribution: {told.bars.map((bar) => `${bar.label}: ${bar.count}`).join('; ')}"
        >
          {#each told.bars as bar (bar.label)}
            {#if column.type === 'number' || column.type === 'date'}
              <span title="{bar.label}: {count(bar.count)} rows"
                ><i style:height="{(bar.count / most) * 100}%"></i></span
              >
            {:else}
              <span class="row"
                ><span class="name" title={bar.label}>{bar.label}</span><i
                  style:width="{(bar.count / most) * 45}%"
                ></i><span class="soft">{count(bar.count)}</span></span
              >
            {/if}
          {/each}
        </div>
      {/if}
      {#if column.role === 'segment'}
        {#if suggested.length}
          <div class="note">
            <b>Perhaps the same member</b>
            {#each suggested as member (member.name)}
              <p>
                “{member.name}” ({count(member.count)}) is
                <button class="act" onclick={() => merge(member.name, member.suggested!)}
                  >“{member.suggested}”</button
                >
              </p>
            {/each}
          </div>
        {/if}
        <div class="line">
          <h2 class="minor">Members</h2>
          {#if shown.length > 1}<button class="act quiet" onclick={() => change({ order: [] })}
              >By name</button
            >{/if}
        </div>
        <ul>
          {#each members as member (member.name)}
            {@const at = shown.indexOf(member)}
            <li class:spelling={member.stands_for}>
              <span class="name" title={member.name}>{member.name || '(blank)'}</span>
              <span class="soft small">{count(member.count)}</span>
              {#if member.stands_for}
                <button class="act quiet" onclick={() => part(member.name)} title="Read it as itself again"
                  >read as {member.stands_for} ✕</button
                >
              {:else}
                <span class="moves">
                  <button
                    class="act quiet"
                    disabled={at === 0}
                    aria-label="Move {member.name} up"
                    onclick={() => move(at, -1)}>↑</button
                  ><button
                    class="act quiet"
                    disabled={at === shown.length - 1}
                    aria-label="Move {member.name} down"
                    onclick={() => move(at, 1)}>↓</button
                  >
                  <Slot text="merge into" label="Merge {member.name}" width={240}>
                    {#snippet children(shut)}
                      <Choices
                        choices={shown
                          .filter((other) => other.name !== member.name)
                          .map((other) => ({ key: other.name, name: other.name }))}
                        choose={(into) => {
                          merge(member.name, into)
                          shut()
                        }}
                      />
                    {/snippet}
                  </Slot>
                </span>
              {/if}
            </li>
          {/each}
        </ul>
        {#if told.more}<p class="small soft">and {count(told.more)} more members</p>{/if}
        <p class="small soft">Merged spellings and the order hold for rows that come later too.</p>
      {/if}
    {/if}
  </section>
{/if}

<style>
  .pad {
    padding: 12px 14px;
    display: grid;
    gap: 8px;
  }
  .line {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 8px;
  }
  .title {
    flex: 1;
    min-width: 0;
    border: 0;
    border-bottom: 1px dotted var(--nothing);
    background: transparent;
    color: var(--ink);
    font-weight: 650;
    font-size: 15px;
  }
  .title:focus {
    outline: 2px solid var(--accent);
  }
  code {
    background: none;
    padding: 0;
    color: var(--met-word);
  }
  dl {
    display: grid;
    grid-template-columns: auto 1fr;
    gap: 2px 12px;
  }
  dt {
    color: var(--soft);
  }
  dd {
    text-align: right;
    overflow-wrap: anywhere;
  }
  .spread {
    display: flex;
    align-items: flex-end;
    gap: 2px;
    height: 74px;
    border-bottom: 1px solid var(--ink);
  }
  .spread span {
    flex: 1;
    height: 100%;
    display: flex;
    align-items: flex-end;
  }
  .spread i {
    display: block;
    width: 100%;
    min-height: 1px;
    background: var(--met);
  }
  .row {
    display: flex;
    align-items: center;
    gap: 6px;
    font-size: 12px;
  }
  .row i {
    height: 8px;
    min-width: 1px;
    background: var(--met);
  }
  .row .name {
    width: 90px;
  }
  .name {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  ul {
    max-height: 330px;
    overflow-y: auto;
  }
  li {
    display: flex;
    gap: 6px;
    align-items: center;
    min-height: 30px;
    border-bottom: 1px solid var(--rule);
    font-size: 13px;
  }
  li .name {
    flex: 1;
    white-space: pre;
  }
  li.spelling .name {
    padding-left: 12px;
    color: var(--soft);
  }
  .moves {
    white-space: nowrap;
    font-size: 12px;
  }
  .moves .act {
    padding: 0 5px;
    min-height: 22px;
  }
</style>
