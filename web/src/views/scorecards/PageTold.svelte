<script lang="ts">
  /** What is told on top of a page: changed elsewhere, refused, not to be read. */
  import { replace } from 'svelte-spa-router'
  import type { Session } from './session.svelte'

  interface Props {
    session: Session
    /** What failed on the page itself. */
    failed: string
  }
  let { session, failed = $bindable() }: Props = $props()

  async function copyMine() {
    const id = await session.keepAsCopy()
    if (id) await replace(`/scorecards/${id}/bench`)
  }
  function seen() {
    failed = session.refused = ''
    void session.read()
  }
</script>

{#if session.conflict}
  <div class="note conflict" role="alert">
    <b>Changed elsewhere.</b> Somebody else, or another tab, saved a newer version of this scorecard. Your
    changes are still here.
    <button class="act" onclick={() => session.takeNewer()}>Take the newer one</button>
    <button class="act" onclick={copyMine}>Keep mine as a copy</button>
  </div>
{/if}
{#if session.unsure}
  <p class="note" role="alert">
    {session.unsure.question}
    <button class="act" onclick={() => session.unsure?.keep()}>Keep it</button>
    <button class="act quiet" onclick={() => (session.unsure = null)}>Leave it as it was</button>
  </p>
{/if}
{#if session.chances.length}
  <p class="note" role="status">
    Nothing changed, it would be <b>{session.chances[0]}</b>, by its usual variation alone. {session.chances
      .slice(1)
      .join(' ')}
    <button class="act quiet" onclick={() => (session.chances = [])}>Seen</button>
  </p>
{/if}
{#if session.problem || session.refused || failed}
  <p class="note" role="alert">
    {session.problem || session.refused || failed}
    {#if session.problem && session.unknown}<a class="act" href="#/scorecards/{session.id}"
        >Read the whole page</a
      >{/if}
    <button class="act quiet" onclick={seen}>{session.problem ? 'Try again' : 'Seen'}</button>
  </p>
{/if}

<style>
  .conflict {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 8px;
    margin: 6px 0;
  }
</style>
