<script lang="ts">
  /** Some rows of what a change would bring, before it is kept. */
  import { count } from '../../api/numbers'

  interface Props {
    columns: string[]
    rows: unknown[][]
    /** How many of the columns are there already. */
    keys: number
  }
  let { columns, rows, keys }: Props = $props()
  const shown = (cell: unknown) =>
    cell === null
      ? ''
      : typeof cell === 'number'
        ? count(cell)
        : cell === true
          ? 'yes'
          : cell === false
            ? 'no'
            : String(cell)
</script>

<div class="scroll">
  <table class="plain small">
    <thead
      ><tr
        >{#each columns as column, n (n)}<th class:new={n >= keys}>{column}</th>{/each}</tr
      ></thead
    >
    <tbody>
      {#each rows as row, i (i)}
        <tr
          >{#each row as cell, n (n)}<td class:new={n >= keys} class:right={typeof cell === 'number'}
              >{shown(cell)}</td
            >{/each}</tr
        >
      {/each}
    </tbody>
  </table>
</div>

<style>
  .scroll {
    max-width: 100%;
    overflow-x: auto;
  }
  table {
    width: auto;
  }
  th,
  td {
    padding: 3px 12px 3px 0 !important;
    text-align: left;
    white-space: nowrap;
  }
  .new {
    font-weight: 640;
  }
  .right {
    text-align: right;
  }
</style>
