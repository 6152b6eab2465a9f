<script lang="ts">
  /** Tokens with which machines ask: made, told once, taken back. */
  import { api, attempt, got, type Schemas } from '../../api/client'
  import { today } from '../../api/clock'
  import { mediumDay, when } from '../../api/days'
  import { may } from '../../api/me.svelte'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import { toggled } from '../../parts/toggled'

  type Verb = Schemas['TokenAsk']['verbs'][number]
  const VERBS: { key: Verb; name: string; note: string }[] = [
    { key: 'read', name: 'read', note: 'Pages, editions and files.' },
    { key: 'note', name: 'write notes', note: '' },
    { key: 'upload', name: 'put rows into data', note: '' },
    { key: 'mark', name: 'keep marks', note: '' },
    { key: 'make', name: 'make and change things', note: '' },
  ]
  let tokens = $state.raw<Schemas['TokenOut'][]>([])
  let cards = $state.raw<Schemas['Scorecard'][]>([])
  let failed = $state('')
  let told = $state('')
  let name = $state('')
  let verbs = $state<Verb[]>(['read'])
  let scorecards = $state<string[]>([])
  const plusYear = () => {
    const day = new Date(today())
    return new Date(day.getTime() + 365 * 86_400_000).toISOString().slice(0, 10)
  }
  let until = $state(plusYear())

  async function load() {
    ;[tokens, cards] = await Promise.all([got(api.GET('/api/tokens')), got(api.GET('/api/scorecards'))])
  }
  load().catch((error) => (failed = String(error)))
  const tried = (work: () => Promise<unknown>) =>
    attempt(
      async () => {
        await work()
        await load()
      },
      (words) => (failed = words),
    )
  const make = (event: SubmitEvent) => {
    event.preventDefault()
    void tried(async () => {
      const made = await got(
        api.POST('/api/tokens', { body: { name, verbs, scorecards, datasets: [], until } }),
      )
      told = made.token
      name = ''
    })
  }
  const end = (key: string) =>
    tried(() => got(api.DELETE('/api/tokens/{key}', { params: { path: { key } } })))
  const words = (keys: string[]) =>
    keys.map((key) => VERBS.find((one) => one.key === key)?.name ?? key).join(', ')
  const titles = (keys: string[]) =>
    keys.map((key) => cards.find((one) => one.id === key)?.body.title ?? key).join(', ')
</script>

<section class="sheet">
  <h2>Machines</h2>
  <p class="small soft">
    A machine names its token in <b>Authorization: Bearer …</b> and may what is said here, of what its maker may.
  </p>
  {#if failed}<p class="wrong" role="alert">{failed}</p>{/if}
  {#if told}<p class="aside-note" role="status">
      It is told this once; what is kept of it is a hash.
      <input
        class="type-in"
        readonly
        aria-label="Token"
        value={told}
        onfocus={(e) => e.currentTarget.select()}
      />
    </p>{/if}
  {#each tokens as one (one.id)}
    <div class="row">
      <span
        ><b>{one.name}</b><span class="small soft"
          >may {words(one.verbs)}{one.scorecards.length ? `: ${titles(one.scorecards)}` : ''}{one.made_by
            ? `; of ${one.made_by}`
            : ''}</span
        ></span
      >
      <span class="small soft"
        >{one.over ? 'over since' : 'until'}
        {one.until ? mediumDay(one.until) : 'it is taken back'}; {one.used_at
          ? `last asked ${when(one.used_at)}`
          : 'never asked'}</span
      >
      <button class="act quiet" onclick={() => end(one.id)}>Take back</button>
    </div>
  {/each}
  <form onsubmit={make}>
    <p class="sentence">
      A new one called <input
        class="type-in name"
        aria-label="Name of the machine"
        required
        maxlength="120"
        bind:value={name}
      />
      may
      <Slot text={words(verbs) || 'nothing'} label="What it may">
        {#snippet children()}
          <Choices
            choices={VERBS.filter((one) => may(one.key))}
            many={verbs}
            choose={(key) => (verbs = toggled(verbs, key as Verb))}
          />
        {/snippet}
      </Slot>
      of
      <Slot
        text={scorecards.length ? titles(scorecards) : 'everything you may'}
        label="Which scorecards"
        width={300}
      >
        {#snippet children()}
          <Choices
            choices={cards.map((one) => ({ key: one.id, name: one.body.title }))}
            many={scorecards}
            choose={(key) => (scorecards = toggled(scorecards, key))}
          />
        {/snippet}
      </Slot>
      until <input class="type-in day" type="date" aria-label="Last day" required bind:value={until} />.
    </p>
    <button class="act" disabled={!name.trim() || !verbs.length}>Make a token</button>
  </form>
</section>

<style>
  section {
    display: grid;
    gap: 8px;
    padding: 12px 14px 14px;
  }
  .row {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr) auto;
    gap: 12px;
    align-items: center;
    padding: 6px 0;
    border-bottom: 1px solid var(--rule);
    overflow-wrap: anywhere;
  }
  .row b,
  .row .small {
    display: block;
  }
  form .name {
    width: 190px;
  }
  form .day {
    width: 150px;
  }
</style>
