<script lang="ts">
  /** What is pressed for the workings of a reading: it lies under what is drawn, whose words it says in a sentence. The
   *  drawing says nothing by itself to who does not see it. Stands first in a box that is placed. */
  import type { Schemas } from '../api/client'

  interface Props {
    reading: Schemas['ReadingPicture']
    open?: (reading: Schemas['ReadingPicture']) => void
    tip?: string
    /** What else is to be said of it. */
    also?: string
  }
  let { reading, open, tip, also = '' }: Props = $props()
</script>

<button class="press" aria-label="{reading.spoken}{also}" data-tip={tip} onclick={() => open?.(reading)}
></button>

<style>
  .press {
    position: absolute;
    inset: 0;
    border-radius: 3px;
    cursor: pointer;
  }
  .press:hover {
    background: var(--accent-tint);
  }
  .press ~ :global(*) {
    position: relative;
    pointer-events: none;
  }
  .press ~ :global(* [role='button']) {
    pointer-events: auto;
  }
</style>
