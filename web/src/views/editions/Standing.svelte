<script lang="ts">
  /** How an edition stands, in words: when it was published, what reads otherwise since, why it was withdrawn. */
  import { restated, standing, type Edition } from './told'

  let { edition }: { edition: Edition } = $props()
</script>

{#if edition.state === 'withdrawn'}<s>{standing(edition)}</s> withdrawn: {edition.why}
{:else}{standing(edition)}{restated(edition) ? ` · ${restated(edition)}` : ''}{/if}
