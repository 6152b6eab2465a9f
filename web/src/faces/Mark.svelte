<script lang="ts">
  /** The product's mark on a straight scale: a dark line across it, a solid triangle at its foot. */
  import type { Reading } from '../api/client'

  let { mark, top, bottom }: { mark: Reading['marks'][number]; top: number; bottom: number } = $props()
</script>

{#if !mark.past}
  <svg x="{mark.fraction * 100}%" overflow="visible">
    <path d="M0 {top}V{bottom}" stroke="var(--sheet)" stroke-width="4" />
    <path d="M0 {top}V{bottom}" stroke="var(--ink)" stroke-width="2" />
    <path d="M-3.8 {bottom + 4.5}H3.8L0 {bottom - 1}Z" fill="var(--ink)" />
    <title>{mark.name} {mark.shown}</title>
  </svg>
{/if}
