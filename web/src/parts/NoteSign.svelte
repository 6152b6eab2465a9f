<script lang="ts">
  import { slipOf } from '../faces/drawings'

  let { wanted = false, size = 14 }: { wanted?: boolean; size?: number } = $props()
</script>

<!-- eslint-disable-next-line svelte/no-at-html-tags -- it holds no text -->
{@html slipOf(wanted, size)}
