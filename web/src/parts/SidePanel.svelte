<script lang="ts">
  /** A panel at the side, over the page: closed by Escape, its button, or a press beside it. */
  import { Dialog, Portal } from '@skeletonlabs/skeleton-svelte'
  import type { Snippet } from 'svelte'
  import { OVER } from './over'

  let { title, close, children }: { title: string; close: () => void; children: Snippet } = $props()
</script>

<Dialog open {...OVER} onOpenChange={(details) => !details.open && close()}>
  <Portal>
    <Dialog.Backdrop class="side-backdrop" />
    <Dialog.Positioner class="side-place">
      <Dialog.Content class="side-panel sheet" aria-modal="true">
        <div class="head">
          <Dialog.Title class="title">{title}</Dialog.Title>
          <Dialog.CloseTrigger class="act quiet">Close</Dialog.CloseTrigger>
        </div>
        {@render children()}
      </Dialog.Content>
    </Dialog.Positioner>
  </Portal>
</Dialog>

<style>
  :global(.side-backdrop) {
    position: fixed;
    inset: 0;
    background: rgb(20 25 29 / 0.25);
    z-index: 70;
  }
  :global(.side-place) {
    position: fixed;
    inset: 0 0 0 auto;
    z-index: 71;
  }
  :global(.side-panel) {
    width: min(400px, 100vw);
    height: 100%;
    overflow: auto;
    overscroll-behavior: contain;
    padding: 16px 18px;
    border-radius: 0;
    box-shadow: var(--lift);
  }
  :global(.side-panel .title) {
    font-size: 17px;
    font-weight: 650;
  }
  .head {
    display: flex;
    justify-content: space-between;
    align-items: center;
  }
</style>
