<script lang="ts">
  /** The head of a column: what it is called, its type and role, what stands in it, and what is wrong with it. */
  import { count } from '../../api/numbers'
  import type { Schemas } from '../../api/client'
  import RoleSlot from '../../parts/RoleSlot.svelte'

  interface Props {
    column: Schemas['ColumnOut']
    told?: Schemas['RowsOut']['summary'][number]
    /** What stands in it is still being looked for. */
    waiting: boolean
    problems: Schemas['RowsOut']['problems']
    look: () => void
    choose: (role: Schemas['ColumnChange']['role']) => void
  }
  let { column, told, waiting, problems, look, choose }: Props = $props()
</script>

<button class="label" title="Look at {column.label}" onclick={look}>{column.label}</button>
{#if column.label !== column.name}<code title="as formulas write it">{column.name}</code>{/if}
<span class="soft plain-weight">{column.type}{', '}</span><RoleSlot {column} {choose} />
{#if told}
  <span class="soft small told"
    >{count(told.distinct)} distinct{told.blanks ? `, ${count(told.blanks)} blank` : ''}<br
    />{told.smallest === told.largest ? told.smallest : `${told.smallest} – ${told.largest}`}</span
  >
{:else if waiting}
  <span class="soft small told">being looked at …<br />&nbsp;</span>
{/if}
{#each problems as problem, i (i)}
  <span class="note problem"
    >{problem.message}{#if problem.rows.length}{' '}Lines {problem.rows.join(', ')}.{/if}</span
  >
{/each}

<style>
  .label {
    display: block;
    min-height: 24px;
    color: var(--ink);
    font-size: 13.5px;
    font-weight: 650;
    overflow: hidden;
    text-overflow: ellipsis;
    max-width: 100%;
    cursor: pointer;
    text-align: left;
    border-bottom: 1px solid var(--accent);
  }
  .label:hover {
    color: var(--accent);
  }
  code {
    display: block;
    padding: 0;
    background: none;
    color: var(--met-word);
    font-size: 11.5px;
    font-weight: 400;
  }
  .plain-weight,
  .told {
    font-weight: 400;
  }
  .told {
    display: block;
    margin-top: 4px;
    font-size: 11.5px;
    line-height: 1.35;
    overflow-wrap: anywhere;
  }
  .problem {
    display: block;
    margin-top: 5px;
    font-weight: 400;
    color: var(--ink);
    font-size: 11.5px;
  }
</style>
