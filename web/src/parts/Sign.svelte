<script lang="ts">
  import { signOf } from '../faces/drawings'

  interface Props {
    state?: string | null
    /** In place of the state's own. */
    sign?: string
    size?: number
    fill?: string
  }
  let { state, sign, size = 16, fill }: Props = $props()
</script>

<!-- eslint-disable-next-line svelte/no-at-html-tags -- it holds no text -->
{@html signOf(state, size, fill, sign)}
