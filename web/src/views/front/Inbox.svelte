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
  const read = (key: string) =>
    got(api.POST('/api/inbox/{key}/read', { params: { path: { key } } })).then(reload, () => undefined)
  const readAll = () => got(api.POST('/api/inbox/read')).then(reload, () => undefined)
</script>

<section class="sheet inbox" aria-labelledby="inbox">
  <div class="line">
    <h2 id="inbox">{inbox.unread ? `Told you, ${inbox.unread} not read` : 'Told you'}</h2>
    {#if inbox.unread}<button class="act quiet" onclick={readAll}>All read</button>{/if}
  </div>
  {#each inbox.messages.slice(0, all ? undefined : FEW) as one (one.id)}
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
  {#if inbox.messages.length > FEW}
    <button class="act quiet" onclick={() => (all = !all)}
      >{all ? 'Fewer' : `${inbox.messages.length - FEW} earlier`}</button
    >
  {/if}
</section>

<style>
  .inbox {
    padding: 14px;
    display: grid;
    gap: 8px;
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
</style>
