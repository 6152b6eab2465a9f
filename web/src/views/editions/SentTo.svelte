<script lang="ts">
  /** Who was told of an edition, and how that went. */
  import { api, got, type Schemas } from '../../api/client'
  import { may } from '../../api/me.svelte'
  import { when } from '../../api/days'
  import Slot from '../../parts/Slot.svelte'
  import { wayWords } from '../watches/way_words'

  let { edition, scorecard }: { edition: string; scorecard: string } = $props()
  let sent = $state.raw<Schemas['SentOut'][]>([])
  $effect(() => {
    if (!may('make')) return
    got(api.GET('/api/editions/{key}/sent', { params: { path: { key: edition } } })).then(
      (found) => (sent = found),
      () => (sent = []), // the page itself says that the server is away
    )
  })
  const people = $derived(sent.reduce((sum, one) => sum + one.people, 0))
  const ways = $derived(sent.flatMap((one) => one.ways))
  const told = $derived(
    [people ? (people === 1 ? '1 inbox' : `${people} inboxes`) : '', ways.length ? `${ways.length} sent` : '']
      .filter(Boolean)
      .join(', '),
  )
</script>

{#if may('make')}<Slot text={told ? `Told: ${told}` : 'Follow'} label="Who was told" width={320}>
    {#snippet children()}
      {#each sent as one, n (one.at + n)}
        <p class="small"><b>{one.title}</b><br /><span class="soft">{when(one.at)}</span></p>
        {#each one.ways as way (way.id)}<p class="small soft">{wayWords(way)}</p>{/each}
      {:else}<p class="small soft">Nobody was told of it.</p>{/each}
      <p class="small">
        <a class="link" href="#/watches/new?scorecard={scorecard}&asks=edition">Have editions of it sent</a>
      </p>
    {/snippet}
  </Slot>
{:else}<a class="act" href="#/watches/new?scorecard={scorecard}&asks=edition">Follow</a>{/if}
