<script lang="ts">
  /** An underlined part of a sentence that can be changed: opens what it can be changed to. */
  import { Popover, Portal } from '@skeletonlabs/skeleton-svelte'
  import type { Snippet } from 'svelte'

  interface Props {
    text: string
    label: string
    width?: number
    /** What it shows in place of underlined words. */
    face?: Snippet
    children: Snippet<[() => void]>
  }
  let { text, label, width = 260, face, children }: Props = $props()
  let open = $state(false)
  const close = () => (open = false)
</script>

<!-- Nothing may stand between the parts here: a blank would show in the sentence. -->
<!-- prettier-ignore -->
<Popover {open} onOpenChange={(details) => (open = details.open)} positioning={{ placement: 'bottom-start', gutter: 6 }}
  ><Popover.Trigger class={face ? 'slot-sign' : 'slot'} aria-label={face ? label : `${label}: ${text}. Change`}>{#if face}{@render face()}{:else}{text}{/if}</Popover.Trigger><Portal
    ><Popover.Positioner style="z-index: 60"
      ><Popover.Content
        >{#snippet element(attributes)}<div {...attributes} class="slot-panel sheet" style:width="{width}px" aria-label={label}
            >{#if open}{@render children(close)}{/if}</div
          >{/snippet}</Popover.Content
      ></Popover.Positioner
    ></Portal
  ></Popover
>

<style>
  :global(.slot) {
    display: inline;
    font-weight: 640;
    color: var(--ink);
    border-bottom: 2px solid var(--accent);
    padding: 0 1px;
    cursor: pointer;
    text-align: left;
    line-height: 1.25;
  }
  :global(.slot-sign) {
    display: inline-flex;
    align-items: center;
    justify-content: center;
    gap: 2px;
    min-width: 24px;
    min-height: 24px;
    border-radius: 3px;
    color: var(--accent);
    font-weight: 640;
    cursor: pointer;
  }
  :global(.slot-sign:hover) {
    background: var(--accent-tint);
  }
  :global(.slot:hover) {
    background: var(--accent-tint);
    color: var(--accent-strong);
  }
  .slot-panel {
    box-shadow: var(--lift);
    max-height: min(420px, 70vh);
    overflow: auto;
    padding: 6px;
    font-size: 13.5px;
    color: var(--ink);
  }
</style>
