<svelte:options namespace="svg" />

<script lang="ts">
  import type { Reading } from '../api/client'
  import { markOf } from './drawings'

  let { mark, top, bottom }: { mark: Reading['marks'][number]; top: number; bottom: number } = $props()
</script>

<!-- eslint-disable-next-line svelte/no-at-html-tags -- its texts are escaped -->
{@html markOf(mark, top, bottom)}
