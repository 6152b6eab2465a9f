<script lang="ts">
  /** The head of a scorecard: its title, and what is done with all of it. */
  import { api, got, type CardBody, type CardPicture, type Schemas } from '../../api/client'
  import Slot from '../../parts/Slot.svelte'
  import TakeOut from '../../parts/TakeOut.svelte'
  import Links from '../editions/Links.svelte'
  import { known, may } from '../../api/me.svelte'
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

  const BEAT_MS = 20_000
  let others = $state.raw<Schemas['OtherHere'][]>([])
  /** Who else has it open, asked while it is. */
  $effect(() => {
    if (!known()?.signs_in) return
    const say = () =>
      got(
        api.POST('/api/scorecards/{key}/here', {
          params: { path: { key: session.id } },
          body: { changing: bench },
        }),
      ).then(
        (found) => (others = found),
        () => undefined,
      )
    void say()
    const timer = setInterval(() => void say(), BEAT_MS)
    return () => clearInterval(timer)
  })
  const beside = $derived(
    others.map((one) => `${one.name} ${one.changing ? 'is changing it too' : 'has it open'}`).join(', '),
  )

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
    {#if beside}<span class="small soft" role="status">{beside}</span>{/if}
    <div class="acts">
      <button class="act" onclick={() => compose.addSection(session)}>Add a section</button>
    </div>
  {:else}
    <h1>
      {body?.title ?? ''}{#if beside}<span class="beside small soft" role="status">{beside}</span>{/if}
    </h1>
    <div class="acts">
      {#if card && body && card.version}
        {#if may('make')}<MakeEdition id={session.id} title={body.title} {card} scope={pageScope()} />{/if}
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
        {#if may('make')}<Slot text="Share" label="Share" width={300}>
            {#snippet children()}
              <div class="take-out">
                <p class="small soft">
                  Whoever has the link reads this scorecard as it stands, and nothing else.
                </p>
                <Links of={{ scorecard: session.id, scope: $state.snapshot(session.scope) }} />
              </div>
            {/snippet}
          </Slot>{/if}
      {/if}
      <a class="act" href="#/watches/new?scorecard={session.id}">Watch</a>
      <a class="act" href="#{present}">Present</a>
      {#if may('make')}
        {#if known()?.signs_in}<a class="act" href="#/people/scorecard/{session.id}">Who reads it</a>{/if}
        <a class="act main" href="#/scorecards/{session.id}/bench">Open the bench</a>
      {/if}
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
  .beside {
    margin-left: 14px;
    font-weight: 400;
    letter-spacing: 0;
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
