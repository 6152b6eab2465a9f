<script lang="ts">
  /** The head of a scorecard: its title, and what is done with all of it. */
  import type { CardBody, CardPicture } from '../../api/client'
  import Slot from '../../parts/Slot.svelte'
  import TakeOut from '../../parts/TakeOut.svelte'
  import Links from '../editions/Links.svelte'
  import * as compose from './compose'
  import MakeEdition from './MakeEdition.svelte'
  import type { Session } from './session.svelte'

  interface Props {
    session: Session
    body: CardBody | null
    card: CardPicture | null
    bench: boolean
    /** The address of the wall. */
    present: string
  }
  let { session, body, card, bench, present }: Props = $props()

  const pageScope = () => $state.snapshot(session.pageScope)
  const sections = $derived(
    (body?.sections ?? []).map((one) => ({ key: one.id, name: one.title || 'without a title' })),
  )
  function rename(title: string) {
    if (title) session.change('rename the scorecard', (draft) => (draft.title = title))
  }
</script>

<div class="top">
  {#if bench && body}
    <h1 class="sr-only">{body.title}</h1>
    <input
      class="page-title"
      aria-label="Scorecard title"
      value={body.title}
      maxlength="120"
      onchange={(event) => rename(event.currentTarget.value.trim())}
    />
    <div class="acts">
      <button class="act" onclick={() => compose.addSection(session)}>Add a section</button>
    </div>
  {:else}
    <h1>{body?.title ?? ''}</h1>
    <div class="acts">
      {#if card && body && card.version}
        <MakeEdition id={session.id} title={body.title} {card} scope={pageScope()} />
        <Slot text="Take out" label="Take out" width={290}>
          {#snippet children()}
            <div class="take-out">
              <TakeOut
                of={{ scorecard: session.id, scope: pageScope() }}
                sheets={card.instruments.map((one) => ({ key: one.id, name: one.title }))}
                {sections}
              />
            </div>
          {/snippet}
        </Slot>
        <Slot text="Share" label="Share" width={300}>
          {#snippet children()}
            <div class="take-out">
              <p class="small soft">
                Whoever has the link reads this scorecard as it stands, and nothing else.
              </p>
              <Links of={{ scorecard: session.id, scope: $state.snapshot(session.scope) }} />
            </div>
          {/snippet}
        </Slot>
      {/if}
      <a class="act" href="#{present}">Present</a>
      <a class="act main" href="#/scorecards/{session.id}/bench">Open the bench</a>
    </div>
  {/if}
</div>

<style>
  .top {
    display: flex;
    align-items: center;
    gap: 14px;
    min-height: 34px;
  }
  h1 {
    flex: 1;
    min-width: 0;
  }
  .take-out {
    padding: 6px 8px;
  }
  .acts {
    display: flex;
    align-items: center;
    gap: 16px;
  }
  @media (max-width: 600px) {
    .top,
    .acts {
      flex-wrap: wrap;
    }
    .acts {
      gap: 8px 14px;
    }
  }
</style>
