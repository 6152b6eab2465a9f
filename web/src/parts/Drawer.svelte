<script lang="ts">
  /** A drawer along the foot of a page. Its edge is dragged, or moved by the arrow keys; on a phone it fills the screen. */
  import { keep } from '../api/me.svelte'
  import type { Snippet } from 'svelte'

  interface Props {
    label: string
    /** Where its height is remembered. */
    key: string
    height: number
    /** Nothing in it but a line of words. */
    low?: boolean
    tab?: Snippet
    children: Snippet
  }
  let { label, key, height = $bindable(), low = false, tab, children }: Props = $props()
  const LEAST = 120
  const STEP = 24
  let screen = $state(800)
  let from = $state.raw<{ y: number; height: number } | null>(null)
  const most = $derived(Math.max(LEAST, screen - 150))
  const shown = $derived(Math.min(Math.max(height, LEAST), most))

  function set(next: number) {
    height = Math.round(Math.min(Math.max(next, LEAST), most))
    keep(key, String(height))
  }
  function down(event: PointerEvent) {
    event.preventDefault()
    ;(event.currentTarget as HTMLElement).focus({ preventScroll: true })
    ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
    from = { y: event.clientY, height: shown }
  }
  function keys(event: KeyboardEvent) {
    const step = { ArrowUp: STEP, ArrowDown: -STEP, PageUp: 4 * STEP, PageDown: -4 * STEP }[event.key]
    if (!step) return
    event.preventDefault()
    set(shown + step)
  }
</script>

<svelte:window bind:innerHeight={screen} />

<aside class="drawer" class:low data-covers aria-label={label} style:--height="{shown}px">
  {#if tab}<div class="tab">{@render tab()}</div>{/if}
  {#if !low}
    <!-- A separator that can be moved is a control, by the standard for such ones. -->
    <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
    <div
      class="edge"
      role="separator"
      tabindex="0"
      aria-label="Height of the {label.toLowerCase()}"
      aria-orientation="horizontal"
      aria-valuenow={shown}
      aria-valuemin={LEAST}
      aria-valuemax={most}
      title="Drag, or use the arrow keys"
      onpointerdown={down}
      onpointermove={(event) => from && set(from.height + from.y - event.clientY)}
      onpointerup={() => (from = null)}
      onpointercancel={() => (from = null)}
      onkeydown={keys}
    ></div>
  {/if}
  <div class="inside">{@render children()}</div>
</aside>

<style>
  .drawer {
    position: fixed;
    inset: auto 0 0;
    z-index: 40;
    height: var(--height);
    background: var(--sheet);
    border-top: 3px solid var(--accent);
    box-shadow: 0 -10px 30px rgb(30 40 46 / 0.1);
  }
  .low {
    height: auto;
  }
  .inside {
    height: 100%;
    overflow: auto;
  }
  .edge {
    position: absolute;
    inset: -8px 0 auto;
    height: 13px;
    cursor: ns-resize;
    touch-action: none;
  }
  .edge::after {
    content: '';
    position: absolute;
    left: calc(50% - 30px);
    top: 6px;
    width: 60px;
    height: 4px;
    border-radius: 0 0 4px 4px;
    background: var(--accent);
  }
  .edge:hover::after,
  .edge:focus-visible::after {
    height: 7px;
  }
  .tab {
    position: absolute;
    right: 20px;
    bottom: 100%;
    padding: 3px 9px 4px;
    background: var(--sheet);
    border: 1px solid var(--rule);
    border-bottom: 0;
    border-radius: 4px 4px 0 0;
    margin-bottom: 3px;
  }
  @media (max-width: 760px) {
    .drawer:not(.low) {
      inset: 0;
      height: 100%;
      border: 0;
    }
    .drawer:not(.low) .tab {
      position: static;
      margin: 0;
      border: 0;
      border-bottom: 1px solid var(--rule);
      padding: 10px 14px;
    }
    .drawer:not(.low) .inside {
      height: calc(100% - 44px);
    }
    .edge {
      display: none;
    }
  }
</style>
