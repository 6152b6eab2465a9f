<script lang="ts">
  /** Along the foot of a draft: what could be on the page too, and the columns that nothing was made of. */
  import type { Schemas } from '../../api/client'

  interface Props {
    draft: Schemas['DraftOut']
    /** Take the last step back; none where there was none. */
    back?: () => void
    /** Put a KPI on the page; bring: a sheet that was thrown away. */
    take: (handle: string) => void
    bring: (id: string) => void
  }
  let { draft, back, take, bring }: Props = $props()
</script>

<section class="sheet waits" aria-label="What is not on the page">
  {#if back}<button class="act" onclick={back}>Take the last step back</button>{/if}
  {#if draft.waiting.length || draft.dropped.length}
    <h2 class="minor">Not on the page</h2>
    <div class="chips">
      {#each draft.waiting as one (one.handle)}
        <button class="act" title="{one.formula}. {one.reason}" onclick={() => take(one.handle)}
          >+ {one.name}</button
        >
      {/each}
      {#each draft.dropped as one (one.id)}
        <button class="act" title={one.why} onclick={() => bring(one.id)}
          >+ {draft.kpis.find((kpi) => kpi.handle === one.kpi)?.name}, {one.face}</button
        >
      {/each}
    </div>
  {/if}
  {#if draft.left_out.length}
    <details>
      <summary class="small"
        >{draft.left_out.length === 1 ? 'One column is' : `${draft.left_out.length} columns are`} left out: {draft.left_out
          .map((one) => one.name)
          .join(', ')}</summary
      >
      <ul class="left">
        {#each draft.left_out as one (one.name)}
          <li class="small">
            <b>{one.name}</b> <span class="soft">{one.reason}</span>
            {#if one.handle}<button class="act quiet" onclick={() => take(one.handle)}
                >Make it after all</button
              >{/if}
          </li>
        {/each}
      </ul>
    </details>
  {/if}
</section>

<style>
  .waits {
    position: sticky;
    bottom: 0;
    z-index: 20;
    margin-top: 14px;
    padding: 10px 14px;
    max-height: 30vh;
    overflow: auto;
    box-shadow: var(--lift);
  }
  .chips {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
  }
  .left {
    list-style: none;
    columns: 2;
    column-gap: 24px;
  }
  .minor {
    margin: 0 0 6px;
  }
  summary {
    cursor: pointer;
    padding: 4px 0;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  @media (max-width: 900px) {
    .left {
      columns: 1;
    }
  }
</style>
