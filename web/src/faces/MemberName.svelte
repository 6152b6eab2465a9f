<script lang="ts">
  /** The name of a reading's member: pressed, the whole page reads that member. Its workings say the same for the keyboard. */
  import { memberPages } from './member-page'
  import type { Picture, Reading } from '../api/client'

  let { picture, reading }: { picture: Picture; reading: Reading } = $props()
  const byMember = memberPages()
  const found = $derived(byMember(picture, reading))
</script>

{#if found}
  <button
    class="member"
    tabindex="-1"
    aria-label="Read the whole page for {found.name}"
    data-tip="Read the whole page for {found.name}"
    onclick={found.read}>{reading.label}</button
  >
{:else}{reading.label}{/if}

<style>
  .member {
    max-width: 100%;
    font: inherit;
    text-align: inherit;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    vertical-align: bottom;
    cursor: pointer;
    text-decoration: underline dotted transparent;
    text-underline-offset: 3px;
    pointer-events: auto;
  }
  :global(.item:hover) .member,
  :global([role='row']:hover) .member {
    text-decoration-color: var(--soft);
  }
  .member:hover {
    color: var(--accent);
    text-decoration: underline solid !important;
  }
</style>
