<svelte:options namespace="svg" />

<script lang="ts">
  import { overrunOf } from './drawings'

  let { past, at, size = 6 }: { past: number; at: number; size?: number } = $props()
</script>

<!-- eslint-disable-next-line svelte/no-at-html-tags -- numbers alone -->
{@html overrunOf(past, at, size)}
