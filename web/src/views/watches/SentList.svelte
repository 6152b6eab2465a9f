<script lang="ts">
  /** What a watch has sent, and how that went. */
  import { api, got, words, type Schemas } from '../../api/client'
  import { when } from '../../api/days'
  import Items from './Items.svelte'
  import { wayWords } from './way_words'

  interface Props {
    watch: string
    /** Something was sent or tried: look anew. */
    turn: number
  }
  let { watch, turn }: Props = $props()
  let sent = $state.raw<Schemas['SentOut'][] | null>(null)
  let failed = $state('')
  const path = $derived({ params: { path: { key: watch } } })
  async function load() {
    try {
      sent = await got(api.GET('/api/watches/{key}/sent', path))
      failed = ''
    } catch (error) {
      failed = words(error)
    }
  }
  $effect(() => {
    void watch
    void turn
    void load()
  })
  // What is on its way is looked at until it has come.
  const waits = $derived(sent?.some((one) => one.ways.some((way) => way.state === 'waiting')))
  $effect(() => {
    if (!waits) return
    const timer = setInterval(load, 2000)
    return () => clearInterval(timer)
  })
  async function trial() {
    try {
      await got(api.POST('/api/watches/{key}/trial', path))
      await load()
    } catch (error) {
      failed = words(error)
    }
  }
  async function again(key: string) {
    try {
      await got(api.POST('/api/deliveries/{key}/again', { params: { path: { key } } }))
      await load()
    } catch (error) {
      failed = words(error)
    }
  }
</script>

<section class="sheet sent" aria-labelledby="sent">
  <div class="head">
    <h2 id="sent">Sent</h2>
    <span class="small soft">{sent?.length ?? ''}</span>
  </div>
  {#if failed}<p class="note" role="alert">{failed}</p>{/if}
  {#each sent ?? [] as one, n (one.at + n)}
    <article>
      {#if one.title.startsWith('A trial')}<p class="small"><b>A trial</b></p>{/if}
      <Items items={one.items} most={3} />
      <p class="small soft">
        {when(one.at)}{one.people ? ` · ${one.people === 1 ? 'one inbox' : `${one.people} inboxes`}` : ''}
      </p>
      {#each one.ways as way (way.id)}
        <p class="small way" class:bad={way.state === 'failed' || (way.state === 'waiting' && way.tries > 0)}>
          <span>{wayWords(way)}</span>
          {#if way.state === 'failed' || (way.state === 'waiting' && way.tries > 0)}
            <button class="act quiet" onclick={() => again(way.id)}>Send now</button>
          {/if}
        </p>
      {/each}
    </article>
  {/each}
  {#if sent && !sent.length}<p class="soft small">
      Nothing yet. What is so already when a watch is made is no news.
    </p>{/if}
  <button class="act" onclick={trial}>Send a trial</button>
</section>

<style>
  .sent {
    padding: 14px;
    display: grid;
    gap: 8px;
    align-content: start;
  }
  .head {
    display: flex;
    justify-content: space-between;
  }
  article {
    border-bottom: 1px solid var(--rule);
    padding-bottom: 8px;
  }
  .way {
    display: flex;
    justify-content: space-between;
    gap: 8px;
    color: var(--soft);
  }
  .way.bad {
    color: var(--ink);
    background: var(--near-tint);
    padding: 3px 6px;
    border-radius: 3px;
  }
  .act {
    justify-self: start;
  }
</style>
