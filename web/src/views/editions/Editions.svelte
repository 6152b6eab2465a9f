<script lang="ts">
  /** Every edition, by the scorecard it is of. */
  import { may } from '../../api/me.svelte'
  import { api, got, words } from '../../api/client'
  import Stamps from '../../parts/Stamps.svelte'
  import Standing from './Standing.svelte'
  import type { Edition } from './told'

  let editions = $state.raw<Edition[] | null>(null)
  let failed = $state('')
  async function load() {
    try {
      editions = await got(api.GET('/api/editions'))
      failed = ''
    } catch (error) {
      failed = words(error)
    }
  }
  void load()
  /** The one last made first; each under the title its newest one has. */
  const groups = $derived.by(() => {
    const found = new Map<string, Edition[]>()
    for (const edition of editions ?? [])
      found.set(edition.scorecard, [...(found.get(edition.scorecard) ?? []), edition])
    return [...found.values()]
  })
</script>

<main class="page">
  <div class="top">
    <div>
      <h1>Editions</h1>
      <p class="sentence">
        {editions ? `${editions.length} ${editions.length === 1 ? 'edition' : 'editions'}` : 'Reading…'}:
        scorecards as they were read, frozen, numbered and dated.
      </p>
    </div>
    {#if may('make')}<a class="act" href="#/editions/books">Books</a>{/if}
    <a class="act" href="#/editions/check">Check a file</a>
    {#if may('make')}<a class="act" href="#/editions/calendar">By the calendar</a>{/if}
  </div>
  {#if failed}<p class="note" role="alert">
      {failed} <button class="act quiet" onclick={load}>Try again</button>
    </p>{/if}
  <div class="groups">
    {#each groups as group (group[0]!.scorecard)}
      <section class="sheet">
        <h2><a href="#/scorecards/{group[0]!.scorecard}">{group[0]!.title}</a></h2>
        <div class="cards">
          {#each group as edition (edition.id)}
            <a class="card" href="#/editions/{edition.id}">
              <Stamps
                of="edition/{edition.id}"
                fetch={() =>
                  got(api.GET('/api/editions/{key}/drawing', { params: { path: { key: edition.id } } }))}
              />
              <b>{edition.number} · {edition.period_label}</b>
              <span class="small soft"><Standing {edition} /></span>
              <span class="small words">{edition.note}</span>
            </a>
          {/each}
        </div>
      </section>
    {/each}
  </div>
  {#if editions && !editions.length}
    <p class="sentence empty">
      There is no edition yet. Open a <a class="link" href="#/scorecards">scorecard</a>, read the period you
      want to report, and press <b>Make an edition</b>: it keeps every value, mark and state as they are,
      whatever changes later.
    </p>
  {/if}
</main>

<style>
  .groups {
    display: grid;
    gap: 12px;
  }
  .cards {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(min(280px, 100%), 1fr));
    gap: 18px;
    padding: 14px 16px 16px;
  }
  .card {
    display: grid;
    gap: 3px;
    align-content: start;
    overflow-wrap: anywhere;
  }
  .card b {
    margin-top: 5px;
    font-weight: 640;
  }
  .card:hover b {
    color: var(--accent);
  }
  .words {
    display: -webkit-box;
    overflow: hidden;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 3;
    line-clamp: 3;
  }
  h2 {
    padding: 12px 16px 8px;
    border-bottom: 1px solid var(--rule);
  }
  h2 a:hover {
    color: var(--accent);
  }
  .empty {
    max-width: 70ch;
  }
</style>
