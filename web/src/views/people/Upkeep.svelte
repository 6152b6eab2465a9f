<script lang="ts">
  /** How the server does, as its owner reads it. */
  import { api, got, words, type Schemas } from '../../api/client'
  import { when } from '../../api/days'
  import { count, percent } from '../../api/numbers'

  let found = $state.raw<Schemas['Upkeep'] | null>(null)
  let failed = $state('')
  async function load() {
    try {
      found = await got(api.GET('/api/upkeep'))
      failed = ''
    } catch (error) {
      failed = words(error)
    }
  }
  void load()
  $effect(() => {
    const timer = setInterval(load, 5000)
    return () => clearInterval(timer)
  })
  const lines = $derived(
    found
      ? [
          { well: found.database === 'ok', name: 'Database', said: 'answers' },
          {
            well: found.worker,
            name: 'Work without a request',
            said: found.worker ? 'is done' : 'is done by no process; start the server again',
          },
          {
            well: found.printer,
            name: 'Printer',
            said: found.printer ? 'is there' : 'is missing: install Chromium and poppler-utils',
          },
          {
            well: !found.failed && (found.oldest_unsent ?? 0) < 300,
            name: 'Messages',
            said: `${count(found.waiting)} wait${found.since ? `, the oldest since ${when(found.since)}` : ''}; ${count(found.failed)} given up`,
            link: '#/watches/sending',
          },
          { well: true, name: 'Pages to be drawn', said: count(found.drawing) },
          {
            well: !found.sources.length,
            name: 'Sources',
            said: found.sources.length ? `${found.sources.length} could not be read` : 'all were read',
          },
          {
            well: !found.watches.length,
            name: 'Watches',
            said: found.watches.length
              ? `cannot be answered: ${found.watches.join(', ')}`
              : 'all are answered',
            link: '#/watches',
          },
          {
            well: true,
            name: 'Held in memory',
            said: `rows of ${count(found.rows)} datasets, ${count(found.readings)} blocks of readings; ${percent(found.hits)} of looks find what they look for`,
          },
        ]
      : [],
  )
</script>

<main class="page">
  <div class="top">
    <div>
      <h1>Upkeep</h1>
      <p class="sentence">
        How the server does{found ? `, version ${found.version}` : ''}. The same for machines at /api/health
        and /metrics.
      </p>
    </div>
  </div>
  {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}
  {#if found}
    <section class="sheet">
      {#each lines as line (line.name)}
        <p class="line">
          <span class="word" class:ill={!line.well}>{line.well ? 'well' : 'look'}</span>
          <b>{line.name}</b>
          <span class="soft"
            >{#if line.link}<a class="link" href={line.link}>{line.said}</a>{:else}{line.said}{/if}</span
          >
        </p>
      {/each}
      {#each found.sources as one (one.dataset)}
        <p class="note"><a class="link" href="#/data/{one.dataset}">{one.dataset}</a> {one.said}</p>
      {/each}
    </section>
  {:else if !failed}<p class="soft">Reading…</p>{/if}
</main>

<style>
  .sheet {
    padding: 6px 14px;
    max-width: 860px;
  }
  .line {
    display: grid;
    grid-template-columns: 56px 200px minmax(0, 1fr);
    gap: 10px;
    padding: 8px 0;
    border-bottom: 1px solid var(--rule);
  }
  .line:last-child {
    border-bottom: none;
  }
  .word {
    font-weight: 640;
    color: var(--met-word);
  }
  .word.ill {
    color: var(--short-word);
  }
  @media (max-width: 600px) {
    .line {
      grid-template-columns: 48px minmax(0, 1fr);
    }
    .line > :last-child {
      grid-column: 2;
    }
  }
</style>
