<script lang="ts">
  /** Where nothing stands yet: how to begin. Of a section that is empty, or of the whole scorecard. */
  interface Props {
    section?: string
    /** Add a section: on the bench. */
    add?: () => void
    /** The address of the bench. */
    bench?: string
  }
  let { section, add, bench }: Props = $props()
</script>

<p class="empty sentence" data-takes={section}>
  {#if section}Show <b>a KPI</b> for <b>a scope</b> as <b>a face</b> … Use “Add an instrument” above to begin.
  {:else if add}This scorecard is empty. <button class="slot" onclick={add}>Add a section</button>, then an
    instrument in it.
  {:else}This scorecard is empty. <a class="slot" href={bench}>Open the bench</a> to put instruments on it.{/if}
</p>

<style>
  .empty {
    padding: 24px;
    border: 1px dashed var(--rule);
    border-radius: 5px;
    text-align: center;
  }
  .empty b {
    border-bottom: 2px solid var(--accent);
    color: var(--ink);
    font-weight: 620;
  }
</style>
