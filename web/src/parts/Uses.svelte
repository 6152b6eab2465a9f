<script lang="ts">
  /** The scorecards on which a KPI or yardstick is used. */
  import type { Schemas } from '../api/client'

  let { uses }: { uses: Schemas['KpiUse'][] } = $props()
</script>

<h2 class="minor">Where it is used</h2>
{#each uses as use (use.scorecard)}
  <p>
    <a class="link" href="#/scorecards/{use.scorecard}">{use.title}</a>
    <span class="soft small">{use.instruments} {use.instruments === 1 ? 'instrument' : 'instruments'}</span>
  </p>
{:else}
  <p class="small soft">On no scorecard yet.</p>
{/each}
