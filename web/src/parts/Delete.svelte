<script lang="ts">
  /** Deleting in two steps, so that it never happens by a slip. */
  let { name, quiet = false, remove }: { name: string; quiet?: boolean; remove: () => void } = $props()
  let sure = $state(false)
</script>

{#if sure}
  <button
    class="act"
    onclick={() => {
      sure = false
      remove()
    }}>Delete “{name.slice(0, 24)}”</button
  >
  <button class="act quiet" onclick={() => (sure = false)}>Keep it</button>
{:else}
  <button class="act" class:quiet aria-label="Delete {name}" onclick={() => (sure = true)}>Delete</button>
{/if}
