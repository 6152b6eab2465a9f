<script lang="ts">
  /** The full account of one reading, in a panel at the side. */
  import { api, got, words, type Instrument, type Schemas, type Scope, type Workings } from '../api/client'
  import type { Whole } from '../faces/member-page'
  import Account from './Account.svelte'
  import NoteEditor from './NoteEditor.svelte'
  import SidePanel from './SidePanel.svelte'
  import Typed from './Typed.svelte'

  export interface Asked {
    instrument: Instrument
    scope: Scope
    member: string | null
    /** What the reading is of, where that is no member of its instrument. */
    ask: Schemas['Ask-Input'] | null
    /** Has the whole page read this member, which closes the panel. */
    whole?: Whole
    /** Begin with a note on it. */
    write?: boolean
    /** Given where the reading is one figure kept by hand. */
    byHand?: { shown: string; set: (value: number) => Promise<void> }
  }
  let {
    asked,
    close,
    noted = () => undefined,
  }: { asked: Asked; close: () => void; noted?: () => void } = $props()
  let found = $state<Workings | null>(null)
  let failed = $state('')
  $effect(() => {
    got(
      api.POST('/api/scorecards/workings', {
        body: { instrument: asked.instrument, scope: asked.scope, member: asked.member, ask: asked.ask },
      }),
    ).then(
      (answer) => (found = answer),
      (error) => (failed = words(error)),
    )
  })
</script>

<SidePanel title="Workings" {close}>
  {#if asked.whole}
    <p class="whole">
      <button class="act" onclick={asked.whole.read}>Read the whole page for {asked.whole.name}</button>
    </p>
  {/if}
  {#if found}
    {#if found.of && asked.write}<NoteEditor of={found.of} begin written={noted} />{/if}
    <Account {found} />
    {#if found.of && !asked.write}<NoteEditor of={found.of} written={noted} />{/if}
    {#if asked.byHand}
      <div class="hand">
        <h2 class="minor">Kept by hand</h2>
        <p class="small soft">A new value is kept in the sheet this reading comes from.</p>
        <Typed
          label="Set by hand"
          kpi={asked.instrument.kpi}
          of={asked.instrument.by && asked.member != null ? { [asked.instrument.by]: asked.member } : {}}
          shown={asked.byHand.shown}
          keep={(value) =>
            value !== null && asked.byHand?.set(value).then(close, (error) => (failed = words(error)))}
        />
        {#if failed}<p class="wrong" role="alert">{failed}</p>{/if}
      </div>
    {/if}
  {:else if failed}
    <p class="wrong">{failed}</p>
  {:else}
    <p class="soft">Working it out…</p>
  {/if}
</SidePanel>

<style>
  .whole {
    margin: 8px 0;
  }
  .hand {
    margin-top: 16px;
    max-width: 220px;
  }
</style>
