<script lang="ts">
  /** For a newcomer without data: three ways to a first scorecard. */
  import { api, got, words } from '../../api/client'

  let { create }: { create: () => void } = $props()
  let demo = $state(false)
  let busy = $state(false)
  let failed = $state('')
  got(api.GET('/api/demo')).then(
    (found) => (demo = found.possible),
    () => (demo = false),
  )
  async function load() {
    busy = true
    failed = ''
    try {
      await got(api.POST('/api/demo'))
      location.hash = '#/scorecards/network-performance'
      location.reload() // names of states and marks are loaded once
    } catch (error) {
      failed = words(error)
    }
    busy = false
  }
</script>

<h1>A first scorecard</h1>
<p class="sentence">
  Bring rows, or look at an invented ferry company’s first. Each way ends on a drawn page.
</p>
{#if failed}<p class="note" role="alert">{failed}</p>{/if}
<div class="ways">
  <a class="sheet way" href="#/rows?paste">
    <h2>Paste a table</h2>
    <p>Copy cells in a spreadsheet, with their heads, and paste them here.</p>
    <span class="act main">Paste</span>
  </a>
  <a class="sheet way" href="#/rows?upload">
    <h2>Upload a file</h2>
    <p>CSV, XLSX, ODS or Parquet. A scorecard is proposed from its columns.</p>
    <span class="act">Choose a file</span>
  </a>
  {#if demo}
    <button class="sheet way" onclick={load} disabled={busy}>
      <h2>Try the demo</h2>
      <p>Hollin Sound Ferries: six scorecards over 22 months of sailings, with every trap in them.</p>
      <span class="act">{busy ? 'Loading, a few seconds…' : 'Load the demo'}</span>
    </button>
  {/if}
</div>
<p class="small soft">
  Or begin with <button class="link" onclick={create}>an empty scorecard</button>, and give it instruments by
  hand once there are <a class="link" href="#/data">rows</a> and <a class="link" href="#/kpis">KPIs</a>.
</p>

<style>
  .ways {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(min(260px, 100%), 1fr));
    gap: 12px;
    margin: 14px 0;
  }
  .way {
    display: grid;
    gap: 8px;
    align-content: start;
    justify-items: start;
    padding: 16px 18px;
    text-align: left;
    cursor: pointer;
  }
  .way:hover h2 {
    color: var(--accent);
  }
</style>
