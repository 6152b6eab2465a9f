<script lang="ts">
  import { signOf, type Standing } from '../faces/drawings'

  interface Props {
    state?: string | null
    /** In place of the state's own. */
    sign?: string
    size?: number
    fill?: string
    /** The reading whose state it is: with a ring where it is a signal, hollow where it is of too few rows. */
    of?: Standing
  }
  let { state, sign, size = 16, fill, of }: Props = $props()
</script>

<!-- eslint-disable-next-line svelte/no-at-html-tags -- it holds no text -->
{@html signOf(state, size, fill, sign, of)}
