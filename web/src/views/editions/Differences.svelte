<script lang="ts">
  /** Two editions, or one and now, side by side: what differs, and because of what. */
  import type { Schemas } from '../../api/client'
  import { mediumDay } from '../../api/days'
  import Sign from '../../parts/Sign.svelte'

  interface Props {
    found: Schemas['SideBySide']
    /** What the two are called. */
    names: [string, string]
    /** What those that do not differ are, beside now. */
    kept: string
  }
  let { found, names, kept }: Props = $props()
  type Difference = Schemas['Difference']
  const because = (one: Schemas['Because']) =>
    [one.at ? mediumDay(one.at) : '', one.by ? `by ${one.by}` : ''].filter(Boolean).join(' ')
  const kinds = { came: 'came', went: 'gone', changed: '' }
  const counts = $derived(
    [
      found.changed_state ? `${found.changed_state} changed state` : '',
      found.came ? `${found.came} came` : '',
      `${found.same} are ${kept || 'the same'}`,
    ]
      .filter(Boolean)
      .join(' · '),
  )
  const differ = $derived(found.differences.filter((one) => one.kind !== 'came').length)
  /** What was said of a reading above is not said again in full. */
  const said = $derived.by(() => {
    const before = new Set<string>()
    return found.differences.map((one) =>
      one.because.map((cause) => {
        const again = cause.cause === 'rows' && before.has(cause.text)
        before.add(cause.text)
        return again ? { text: 'the same rows', more: '' } : { text: cause.text, more: because(cause) }
      }),
    )
  })
  /** Readings that are graded by another line now than then are easily read wrongly. */
  const regraded = $derived(
    found.differences.find(
      (one) => one.what.includes('mark') && one.what.includes('state') && !one.what.includes('value'),
    ),
  )
</script>

<div class="head">
  <h2>{differ} of {found.counted} readings differ</h2>
  <span class="small soft">{counts}</span>
</div>
{#if found.differences.length}
  <table>
    <thead>
      <tr>
        <th>Reading</th>
        <th class="right">{names[0]}</th>
        <th aria-hidden="true"></th>
        <th class="right">{names[1]}</th>
        <th>Because</th>
      </tr>
    </thead>
    <tbody>
      {#each found.differences as one, at (at)}
        <tr>
          <th scope="row">
            {one.name}
            {#if one.kpi !== one.name}<span class="small soft">{one.kpi}</span>{/if}
          </th>
          <td class="right figures">{@render side(one, one.before)}</td>
          <td class="arrow" aria-hidden="true">{one.kind === 'changed' ? '→' : ''}</td>
          <td class="right figures now">{@render side(one, one.after)}</td>
          <td class="small">
            {#each said[at] ?? [] as cause (cause.text)}
              <p>
                {cause.text}{#if cause.more}<span class="soft">, {cause.more}</span>{/if}
              </p>
            {:else}<p>the same rows</p>{/each}
          </td>
        </tr>
      {/each}
    </tbody>
  </table>
{:else}
  <p class="soft same">Every reading has the value, the mark and the state it had.</p>
{/if}
{#if regraded && kept}
  <p class="note">
    <b>{regraded.name} is graded by another {regraded.before?.mark_name} now.</b> The edition keeps
    {regraded.before?.mark_shown}, which was in force when it was made. To tell its readers, make another
    edition that restates it.
  </p>
{/if}

{#snippet side(one: Difference, shown: Schemas['Side'] | null | undefined)}
  {#if shown}
    {shown.shown}
    {#if shown.state}<Sign state={shown.state} size={15} /><span class="sr-only">{shown.state_name}</span>
    {:else}<span class="small soft">{shown.value === null ? '' : 'not graded'}</span>{/if}
    {#if one.what.includes('mark') && shown.mark_shown}
      <span class="small soft line">{shown.mark_name} {shown.mark_shown}</span>
    {/if}
  {:else}<span class="small soft">{kinds[one.kind]}</span>{/if}
{/snippet}

<style>
  .head {
    display: flex;
    justify-content: space-between;
    align-items: baseline;
    gap: 12px;
    margin-bottom: 6px;
  }
  table {
    width: 100%;
    border-collapse: collapse;
  }
  thead th:first-child {
    width: 30%;
  }
  thead th {
    padding: 4px 8px 6px 0;
    border-bottom: 1px solid var(--rule);
    color: var(--soft);
    font-size: 12.5px;
    font-weight: 500;
    text-align: left;
  }
  tbody th,
  td {
    padding: 7px 8px 7px 0;
    border-bottom: 1px solid var(--rule);
    vertical-align: top;
    text-align: left;
    font-weight: 640;
  }
  tbody th span,
  .line {
    display: block;
    font-weight: 450;
  }
  td {
    font-weight: 450;
  }
  .right,
  thead .right {
    text-align: right;
    white-space: nowrap;
  }
  .figures :global(svg) {
    display: inline-block;
    vertical-align: -2px;
  }
  .now {
    font-weight: 660;
  }
  .arrow {
    color: var(--soft);
  }
  .same {
    padding: 12px 0;
  }
  .note {
    margin-top: 14px;
    font-size: 13px;
  }
</style>
