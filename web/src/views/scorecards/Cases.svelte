<script lang="ts">
  /** A scorecard's cases side by side, beside what is kept: only what comes out otherwise. */
  import { api, got, newest, passes, words, type Schemas } from '../../api/client'
  import { stateOf } from '../../api/states.svelte'
  import Sign from '../../parts/Sign.svelte'
  import Tally from '../../parts/Tally.svelte'
  import type { Session } from './session.svelte'

  interface Props {
    session: Session
    cases: Schemas['Case'][]
    use: (key: string) => void
    throwAway: (key: string) => void
  }
  let { session, cases, use, throwAway }: Props = $props()
  let found = $state<Schemas['Comparison'] | null>(null)
  let failed = $state('')

  const compare = newest(async () => {
    try {
      const scope = $state.snapshot(session.pageScope) as Schemas['ScopeBody']
      found = await got(api.POST('/api/cases/compare', { body: { scorecard: session.id, scope } }))
      failed = ''
    } catch (error) {
      failed = words(error)
      return passes(error)
    }
  })
  $effect(() => {
    void cases
    void session.picture // another month, a moved slider, or a changed mark is another comparison
    void compare()
  })
</script>

{#if failed}<p class="wrong small" role="alert">{failed}</p>{/if}
{#if found}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex (it is scrolled by keyboard) -->
  <div class="across" tabindex="0" role="region" aria-label="Cases side by side">
    <table>
      <thead>
        <tr>
          <th scope="col"><span class="sr-only">Reading</span></th>
          {#each found.columns as column (column.key)}
            <th scope="col">
              {column.name}
              {#if column.key && column.key !== 'tried'}
                <span class="acts">
                  <button class="act quiet" aria-label="Try {column.name}" onclick={() => use(column.key)}
                    >try</button
                  >
                  <button
                    class="act quiet"
                    aria-label="Throw {column.name} away"
                    onclick={() => throwAway(column.key)}>throw away</button
                  >
                </span>
              {/if}
            </th>
          {/each}
        </tr>
      </thead>
      <tbody>
        {#each found.assumptions as assumption, at (at)}
          <tr class="given">
            <th scope="row">{assumption}</th>
            {#each found.columns as column (column.key)}
              <td class:other={column.differs[at]}>{column.values[at]}</td>
            {/each}
          </tr>
        {/each}
        <tr class="tallies">
          <th scope="row">Readings by state</th>
          {#each found.columns as column (column.key)}
            <td><Tally tally={column.tally} thin brief /></td>
          {/each}
        </tr>
        {#each found.rows as row, place (place)}
          <tr>
            <th scope="row">{row.label}</th>
            {#each row.cells as cell, at (at)}
              <td class:other={cell.changed}>
                <Sign state={cell.state} size={14} />
                <span class="sr-only">{stateOf(cell.state)?.name ?? 'not graded'},</span>
                {cell.shown}
                {#if cell.step}<span class="step">{cell.step > 0 ? 'better' : 'worse'}</span>{/if}
              </td>
            {/each}
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
  <p class="small soft">
    {#if found.more}{found.more} more come out otherwise.{/if}
    {#if found.same}{found.same === 1 ? '1 reading is' : `${found.same} readings are`} the same in all of them.{/if}
    {#if !found.rows.length}No reading comes out otherwise in any of them.{/if}
  </p>
{/if}

<style>
  .across {
    overflow-x: auto;
    margin-top: 8px;
  }
  table {
    border-collapse: collapse;
    width: 100%;
    font-size: 13px;
  }
  th,
  td {
    padding: 3px 12px 3px 0;
    text-align: left;
    border-top: 1px solid var(--rule);
    white-space: nowrap;
    font-variant-numeric: tabular-nums;
  }
  thead th {
    border-top: 0;
    vertical-align: bottom;
  }
  tbody th {
    font-weight: 500;
    white-space: normal;
    min-width: 230px;
  }
  td {
    color: var(--soft);
  }
  td.other {
    color: var(--ink);
    font-weight: 620;
  }
  .tallies td {
    min-width: 170px;
  }
  .step {
    font-weight: 400;
    font-size: 12px;
  }
  .acts {
    display: inline-flex;
    gap: 2px;
  }
</style>
