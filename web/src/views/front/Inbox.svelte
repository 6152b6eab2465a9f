<script lang="ts">
  /** What one was told, the newest first; what was not read yet stands out. */
  import { api, got, type Schemas } from '../../api/client'
  import { when } from '../../api/days'
  import Items from '../watches/Items.svelte'

  interface Props {
    inbox: Schemas['Inbox']
    reload: () => void
  }
  let { inbox, reload }: Props = $props()
  const FEW = 3
  let all = $state(false)
  const fresh = $derived(inbox.messages.filter((one) => !one.read))
  const shown = $derived(all ? inbox.messages : fresh.slice(0, FEW))
  const read = (key: string) =>
    got(api.POST('/api/inbox/{key}/read', { params: { path: { key } } })).then(reload, () => undefined)
  const readAll = () => got(api.POST('/api/inbox/read')).then(reload, () => undefined)
</script>

<section class="sheet inbox" aria-labelledby="inbox">
  <div class="line">
    <h2 id="inbox">{inbox.unread ? `Told you, ${inbox.unread} not read` : 'Told you'}</h2>
    <span>
      {#if inbox.unread}<button class="act quiet" onclick={readAll}>All read</button>{/if}
      {#if inbox.messages.length > shown.length || all}
        <button class="act quiet" aria-expanded={all} onclick={() => (all = !all)}
          >{all
            ? 'Fewer'
            : fresh.length
              ? `${inbox.messages.length - shown.length} earlier`
              : `Nothing new; ${inbox.messages.length} earlier`}</button
        >
      {/if}
    </span>
  </div>
  {#each shown as one (one.id)}
    <article class:unread={!one.read}>
      <Items items={one.items} most={3} />
      <p class="small soft line">
        <span
          >{#if one.watch}<a href="#/watches/{one.watch}">{one.name}</a>{:else}{one.name}{/if}, {when(
            one.at,
          )}</span
        >
        {#if !one.read}<button class="act quiet" onclick={() => read(one.id)}>Read</button>{/if}
      </p>
    </article>
  {/each}
</section>

<style>
  .inbox {
    padding: 14px;
    display: grid;
    gap: 8px;
  }
  .line a {
    display: inline-flex;
    align-items: center;
    min-height: 24px;
  }
  .line {
    display: flex;
    justify-content: space-between;
    align-items: baseline;
    gap: 8px;
  }
  article {
    border-top: 1px solid var(--rule);
    padding: 6px 0 0 9px;
    border-left: 3px solid transparent;
  }
  article.unread {
    border-left-color: var(--accent);
  }
  @media (max-width: 600px) {
    .line a {
      min-height: 44px;
    }
  }
</style>
