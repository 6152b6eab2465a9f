<script lang="ts">
  /** What a watch would have sent: each reading a cell, with what it would have done. */
  import type { Schemas } from '../../api/client'
  import { colour, on, stateOf, tint, word } from '../../api/states.svelte'
  import Sign from '../../parts/Sign.svelte'

  let { tried }: { tried: Schemas['TriedWatch'] } = $props()
  const every = $derived(Math.max(1, Math.ceil(tried.axis.length / 6)))
  const DID: Record<string, string> = {
    sent: 'told',
    unheld: 'not told: it did not hold, or had not gone back far enough',
    '': '',
  }
  const titled = (cell: Schemas['TriedCell']) =>
    [
      `${cell.label}: ${cell.shown}`,
      stateOf(cell.state)?.name,
      DID[cell.did],
      cell.noise ? 'within its usual variation' : '',
    ]
      .filter(Boolean)
      .join(', ')
  const wouldHave = $derived(
    tried.sent === 1 ? 'It would have told of 1 change' : `It would have told of ${tried.sent} changes`,
  )
</script>

<div class="head">
  <h2>What it would have sent</h2>
  <span class="small soft">{tried.span}</span>
</div>
{#if tried.rows.length}
  <div class="strips" style:--many={tried.axis.length}>
    {#each tried.rows as row, r (r)}
      <span class="name" title={row.name}>{row.name}</span>
      <div
        class="cells"
        role="img"
        aria-label="{row.name}: {row.cells.filter((one) => one.did === 'sent').length} told"
      >
        {#each row.cells as cell, c (c)}
          {@const told = cell.did !== ''}
          <span
            class="cell"
            class:none={cell.period && !cell.state}
            style:background={told
              ? cell.state
                ? colour(cell.state)
                : 'var(--soft)'
              : cell.period
                ? tint(cell.state)
                : 'transparent'}
            title={cell.period ? titled(cell) : undefined}
          >
            {#if cell.did === 'sent'}<i class="dot" class:noise={cell.noise} style:background={on(cell.state)}
              ></i>
            {:else if cell.did === 'unheld'}<i class="ring" style:border-color={on(cell.state)}></i>
            {:else if cell.state}<Sign state={cell.state} size={11} fill={word(cell.state)} />{/if}
          </span>
        {/each}
      </div>
    {/each}
    <span></span>
    <div class="cells axis" aria-hidden="true">
      {#each tried.axis as label, n (n)}<span
          >{n % every === 0 && n < tried.axis.length - 2 ? label : ''}</span
        >{/each}
    </div>
  </div>
  {#if tried.left_out}<p class="small soft">and {tried.left_out} more that are not drawn.</p>{/if}
  <p class="small soft legend">
    {#each tried.states as state (state.key)}<span class="state"
        ><Sign state={state.key} size={12} /> {state.name}</span
      >{/each}
    <span class="state"><i class="key"></i> told</span>
    {#if tried.noise}<span class="state"><i class="key half"></i> told, within usual variation</span>{/if}
    <span class="state"><i class="key open"></i> a change that did not hold</span>
  </p>
  <p class="said">
    {wouldHave}{#if tried.noise}; <b
        >{tried.noise === tried.sent && tried.sent > 1 ? 'all' : tried.noise} of them within usual variation</b
      >{/if}.{#each tried.others as other (other.words)}
      {' '}<b>{other.words}</b> it would have been {other.sent}.{/each}
  </p>
{:else if tried.now.length}
  <ul>
    {#each tried.now as said (said)}<li>{said}</li>{/each}
  </ul>
{:else}
  <p class="soft">Nothing, {tried.span}.</p>
{/if}

<style>
  .head {
    display: flex;
    justify-content: space-between;
    align-items: baseline;
    margin-bottom: 8px;
  }
  .strips {
    display: grid;
    grid-template-columns: fit-content(150px) minmax(0, 1fr);
    gap: 5px 8px;
    align-items: center;
    max-height: 340px;
    overflow-y: auto;
  }
  .name {
    font-size: 12px;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .cells {
    display: grid;
    grid-template-columns: repeat(var(--many), minmax(0, 21px));
  }
  .cell {
    height: 19px;
    margin-right: 2px;
    border-radius: 2px;
    display: grid;
    place-items: center;
    overflow: hidden;
  }
  .cell.none {
    outline: 1px dashed var(--rule);
    outline-offset: -1px;
    background: transparent;
  }
  .dot,
  .ring {
    width: 10px;
    height: 10px;
    border-radius: 50%;
    flex: none;
  }
  .ring {
    border: 2px solid;
  }
  .dot.noise {
    clip-path: polygon(0 0, 50% 0, 50% 100%, 0 100%);
  }
  .axis span {
    font-size: 10px;
    color: var(--soft);
    white-space: nowrap;
  }
  .legend {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 14px;
    margin-top: 6px;
  }
  .state {
    display: inline-flex;
    align-items: center;
    gap: 4px;
  }
  .key {
    width: 10px;
    height: 10px;
    border-radius: 50%;
    background: var(--ink);
  }
  .key.half {
    clip-path: polygon(0 0, 50% 0, 50% 100%, 0 100%);
  }
  .key.open {
    background: transparent;
    border: 2px solid var(--ink);
  }
  .said {
    margin-top: 8px;
  }
  ul {
    display: grid;
    gap: 6px;
  }
</style>
