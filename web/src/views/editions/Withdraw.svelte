<script lang="ts">
  /** Withdraw a published edition, with the reason that its readers are told. */
  import Slot from '../../parts/Slot.svelte'

  let { withdraw }: { withdraw: (why: string) => Promise<unknown> } = $props()
  let why = $state('')
</script>

<Slot text="Withdraw" label="Withdraw" width={280}>
  {#snippet children(close)}
    <form
      class="why"
      onsubmit={(event) => {
        event.preventDefault()
        close()
        void withdraw(why.trim())
      }}
    >
      <label class="small soft"
        >Why? Whoever reads it is told.
        <input class="type-in" required maxlength="2000" bind:value={why} /></label
      >
      <button class="act main">Withdraw it</button>
    </form>
  {/snippet}
</Slot>

<style>
  .why {
    display: grid;
    gap: 8px;
    padding: 6px;
  }
</style>
