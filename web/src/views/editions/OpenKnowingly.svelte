<script lang="ts">
  /** Whether an edition is opened to those too who read some of the rows that it was made of. */
  import { known } from '../../api/me.svelte'
  import type { Edition } from './told'

  let { edition, open }: { edition: Edition; open: (opened: boolean) => void } = $props()
</script>

{#if known()?.signs_in}
  <label class="small"
    ><input
      type="checkbox"
      checked={edition.opened}
      onchange={(event) => open(event.currentTarget.checked)}
    />
    Open it also to those who read some of the rows it was made of{edition.made_with
      ? ` (${edition.made_with})`
      : ''}</label
  >
{/if}
