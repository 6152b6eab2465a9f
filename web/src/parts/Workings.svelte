<script lang="ts">
  /** The full account of one reading, in a panel at the side. */
  import { Dialog, Portal } from '@skeletonlabs/skeleton-svelte'
  import { api, got, words, type Instrument, type Scope, type Workings } from '../api/client'
  import Sign from './Sign.svelte'

  export interface Asked {
    instrument: Instrument
    scope: Scope
    member: string | null
  }
  let { asked, close }: { asked: Asked; close: () => void } = $props()
  let found = $state<Workings | null>(null)
  let failed = $state('')
  $effect(() => {
    got(api.POST('/api/scorecards/workings', { body: { ...asked } })).then(
      (answer) => (found = answer),
      (error) => (failed = words(error)),
    )
  })
</script>

<Dialog open onOpenChange={(details) => !details.open && close()}>
  <Portal>
    <Dialog.Backdrop class="workings-backdrop" />
    <Dialog.Positioner class="workings-place">
      <Dialog.Content class="workings sheet">
        <div class="head">
          <Dialog.Title class="title">Workings</Dialog.Title>
          <Dialog.CloseTrigger class="act quiet">Close</Dialog.CloseTrigger>
        </div>
        {#if found}
          <p class="who"><b>{found.title}</b> <span class="soft">{found.subtitle}</span></p>
          <pre>{found.formula}</pre>
          {#if found.parts.length}
            <table class="plain">
              <tbody>
                {#each found.parts as part (part.source)}
                  <tr><td class="code">{part.source}</td><td class="right"><b>{part.figure}</b></td></tr>
                {/each}
              </tbody>
            </table>
          {/if}
          <dl>
            {#each found.lines as line, i (i)}
              <dt>{line.label}</dt>
              <dd>
                {line.text}{#if line.state}&nbsp;<Sign state={line.state} />{/if}
              </dd>
            {/each}
          </dl>
          {#if found.verdict}<p class="aside-note">{found.verdict}</p>{/if}
        {:else if failed}
          <p class="wrong">{failed}</p>
        {:else}
          <p class="soft">Working it out…</p>
        {/if}
      </Dialog.Content>
    </Dialog.Positioner>
  </Portal>
</Dialog>

<style>
  :global(.workings-backdrop) {
    position: fixed;
    inset: 0;
    background: rgb(20 25 29 / 0.25);
    z-index: 70;
  }
  :global(.workings-place) {
    position: fixed;
    inset: 0 0 0 auto;
    z-index: 71;
  }
  :global(.workings) {
    width: min(400px, 100vw);
    height: 100%;
    overflow: auto;
    padding: 16px 18px;
    border-radius: 0;
    box-shadow: var(--lift);
  }
  .head {
    display: flex;
    justify-content: space-between;
    align-items: center;
  }
  :global(.workings .title) {
    font-size: 17px;
    font-weight: 650;
  }
  .who {
    margin: 6px 0 8px;
  }
  pre {
    font-size: 12.5px;
    background: var(--paper);
    padding: 8px 10px;
    white-space: pre-wrap;
    border-radius: 3px;
    margin-bottom: 6px;
  }
  .code {
    font-family: ui-monospace, monospace;
    font-size: 12px;
  }
  .right {
    text-align: right;
    white-space: nowrap;
  }
  dl {
    margin: 10px 0;
  }
  dt {
    color: var(--soft);
    font-size: 12.5px;
    margin-top: 8px;
  }
  dd {
    font-weight: 620;
  }
</style>
