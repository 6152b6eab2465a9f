<script lang="ts">
  import { when } from '../../api/days'
  import { push } from 'svelte-spa-router'
  import { api, got, seen, words, type Schemas } from '../../api/client'
  import Delete from '../../parts/Delete.svelte'
  import Tally from '../../parts/Tally.svelte'

  let cards = $state<Schemas['Overview'][] | null>(null)
  let failed = $state('')
  let wanted = $state('')
  const found = $derived(
    cards?.filter((entry) => entry.title.toLocaleLowerCase().includes(wanted.toLocaleLowerCase())) ?? [],
  )

  async function load() {
    try {
      cards = await got(api.GET('/api/scorecards/overview'))
      failed = ''
    } catch (error) {
      failed = words(error)
    }
  }
  load()

  async function create() {
    try {
      const body = {
        title: 'New scorecard',
        scope: { period: 'complete', grain: 'month' as const, members: {}, assume: {} },
        sections: [{ id: 's1', title: 'First section', instruments: [], texts: [], pictures: [] }],
      }
      const made = await got(api.POST('/api/scorecards', { body }))
      await push(`/scorecards/${made.id}/bench`)
    } catch (error) {
      failed = words(error)
    }
  }
  async function remove(entry: Schemas['Overview']) {
    try {
      await got(
        api.DELETE('/api/scorecards/{key}', {
          params: { path: { key: entry.id }, header: seen(entry.version) },
        }),
      )
    } catch (error) {
      failed = words(error)
    }
    await load()
  }
</script>

<main class="page">
  <div class="top">
    <div>
      <h1>Scorecards</h1>
      <p class="sentence">
        {cards ? `${cards.length} ${cards.length === 1 ? 'scorecard' : 'scorecards'}` : 'Reading…'}, the one
        changed last first.
      </p>
    </div>
    {#if (cards?.length ?? 0) > 5}<input
        class="type-in find"
        data-find
        placeholder="Find  /"
        aria-label="Find a scorecard"
        bind:value={wanted}
      />{/if}
    <button class="act main" onclick={create}>New scorecard</button>
  </div>
  {#if failed}<p class="note" role="alert">
      {failed} <button class="act quiet" onclick={load}>Try again</button>
    </p>{/if}
  <ul>
    {#each found as entry (entry.id)}
      <li class="sheet">
        <div class="line">
          <a href="#/scorecards/{entry.id}"><h2>{entry.title}</h2></a>
          <span class="small soft"
            >{entry.period_label ? `${entry.period_label} · ` : ''}{entry.instruments}
            {entry.instruments === 1 ? 'instrument' : 'instruments'} · changed {when(entry.updated_at)}</span
          >
          <Delete name={entry.title} quiet remove={() => remove(entry)} />
        </div>
        {#if entry.tally.length}<a href="#/scorecards/{entry.id}" tabindex="-1" aria-hidden="true"
            ><Tally tally={entry.tally} thin /></a
          >
        {:else}<p class="small soft">
            Nothing is on it yet. <a class="link" href="#/scorecards/{entry.id}/bench">Open the bench</a>
          </p>{/if}
      </li>
    {/each}
  </ul>
  {#if cards && !cards.length}
    <p class="sentence">
      There is no scorecard yet. Upload rows under <a class="link" href="#/data">Data</a>, write a
      <a class="link" href="#/kpis">KPI</a>, then make a scorecard.
    </p>
  {/if}
</main>

<style>
  .find {
    width: 200px;
  }
  ul {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(min(520px, 100%), 1fr));
    gap: 12px;
  }
  li {
    padding: 12px 14px 14px;
  }
  .line {
    display: flex;
    align-items: center;
    gap: 10px;
    margin-bottom: 8px;
  }
  .line a {
    flex: 1;
  }
  .line a:hover h2 {
    color: var(--accent);
  }
</style>
