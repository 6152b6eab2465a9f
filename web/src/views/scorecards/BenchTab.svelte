<script lang="ts">
  /** The edge of the bench: whether it is saved, one step back and forth, and what was deleted last. */
  import type { Session } from './session.svelte'
  import type { SheetSelection } from './sheet_selection.svelte'

  interface Props {
    session: Session
    sheets: SheetSelection
    close: () => void
  }
  let { session, sheets, close }: Props = $props()

  let clock = $state(Date.now())
  $effect(() => {
    const timer = setInterval(() => (clock = Date.now()), 5000)
    return () => clearInterval(timer)
  })
  const saved = $derived.by(() => {
    if (session.saving === 'failed') return 'not saved yet'
    if (session.saving !== 'saved') return 'saving…'
    const seconds = Math.max(0, Math.round((clock - session.savedAt) / 1000))
    if (seconds < 5) return 'saved just now'
    return seconds < 90 ? `saved ${seconds} s ago` : `saved ${Math.round(seconds / 60)} min ago`
  })
  /** What was deleted last, which can be taken back until something else is changed. */
  const gone = $derived(/^delete (.*)/.exec(session.history.back?.says ?? '')?.[1])
</script>

<p class="small soft state">
  <span aria-live="polite">version {session.version}, {saved}</span> ·
  <button
    disabled={!session.history.canUndo}
    title={session.history.back?.says}
    onclick={() => session.history.undo()}>undo</button
  >
  ·
  <button
    disabled={!session.history.canRedo}
    title={session.history.forth?.says}
    onclick={() => session.history.redo()}>redo</button
  >
  · <button onclick={close}>Close the bench</button>
  {#if sheets.picked.length > 1}· {sheets.picked.length} sheets chosen{/if}
  {#if gone}· Deleted {gone}.
    <button onclick={() => session.history.undo()}>Take back</button>{/if}
  {#if sheets.selected}<button class="to-page" onclick={() => sheets.clear()}>To the page</button>{/if}
</p>

<style>
  .state button {
    color: var(--accent);
    font-weight: 640;
    cursor: pointer;
  }
  .state button:hover:not(:disabled) {
    text-decoration: underline;
  }
  .state button:disabled {
    color: var(--soft);
    font-weight: 450;
    cursor: default;
  }
  .to-page {
    display: none;
  }
  @media (max-width: 760px) {
    .state {
      display: flex;
      flex-wrap: wrap;
      gap: 0 6px;
    }
    .to-page {
      display: inline;
      margin-left: auto;
    }
  }
</style>
