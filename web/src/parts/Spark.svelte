<script lang="ts">
  import { sparkOf } from '../faces/drawings'

  interface Props {
    line: (number | null)[]
    target: (number | null)[]
    state: string | null
    /** As wide and high as its place. */
    wide?: boolean
  }
  let { line, target, state, wide = false }: Props = $props()
</script>

<!-- eslint-disable-next-line svelte/no-at-html-tags -- numbers alone -->
{@html sparkOf(line, target, state, wide)}
