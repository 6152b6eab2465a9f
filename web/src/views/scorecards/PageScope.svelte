<script lang="ts">
  /** What the page reads, and the ways back to what it read before. */
  import type { CardPicture, Scope } from '../../api/client'
  import ScopeSentence from '../../parts/ScopeSentence.svelte'
  import type { Session } from './session.svelte'

  interface Props {
    session: Session
    card: CardPicture
    change: (scope: Scope) => void
    /** The address of the scorecard's own scope, where another one is read. */
    own: string
    /** The address before a member was pressed; gone: it was gone back to. */
    back: string
    gone: () => void
  }
  let { session, card, change, own, back, gone }: Props = $props()
</script>

<div class="scope">
  <ScopeSentence
    picture={card}
    going={session.going?.label}
    scope={session.scope}
    {change}
    again={() => session.read()}
  />
  {#if own && back}<a class="small back" href="#{back}" onclick={gone}>one step back</a>{/if}
  {#if own}<a class="small back" href="#{own}">back to the scorecard’s own scope</a>{/if}
</div>

<style>
  .scope {
    display: flex;
    align-items: baseline;
    flex-wrap: wrap;
    gap: 0 16px;
    margin-bottom: 8px;
  }
  .back {
    color: var(--accent);
    text-decoration: underline;
  }
</style>
