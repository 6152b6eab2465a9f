<script lang="ts">
  /** Links to a page for people without an account: what there are, a new one, and taken back. */
  import { api, attempt, got, type Schemas } from '../../api/client'
  import { today } from '../../api/clock'
  import { mediumDay } from '../../api/days'

  let { of }: { of: { edition: string } | { scorecard: string; scope: Schemas['ScopeBody'] } } = $props()
  let links = $state.raw<Schemas['LinkOut'][] | null>(null)
  let failed = $state('')
  let making = $state(false)
  let made = $state('')
  let copied = $state(false)
  const inDays = (days: number) => {
    const day = new Date(`${today()}T00:00:00Z`)
    day.setUTCDate(day.getUTCDate() + days)
    return day.toISOString().slice(0, 10)
  }
  let name = $state('')
  let until = $state(inDays(30))
  let password = $state('')
  let frames = $state('')
  let workings = $state(false)
  let readers = $state('')
  type Kind = Schemas['LinkAsk']['takes'] extends (infer One)[] | undefined ? One : never
  let takes = $state<Kind[]>([])
  const FORMS: [Kind, string][] = [
    ['pdf', 'PDF'],
    ['pptx', 'slides'],
    ['xlsx', 'spreadsheet'],
    ['csv', 'CSV'],
  ]

  const query = $derived('edition' in of ? { edition: of.edition } : { scorecard: of.scorecard })
  async function load() {
    links = await got(api.GET('/api/links', { params: { query } }))
  }
  $effect(() => {
    void query
    void attempt(load, (said) => (failed = said))
  })
  const told = (link: Schemas['LinkOut']) =>
    [
      link.has_password ? 'with a password' : '',
      link.frames.length
        ? `framed by ${link.frames.length === 1 ? 'one site' : `${link.frames.length} sites`}`
        : '',
      'scorecard' in of ? 'live' : '',
      link.over ? 'over' : `read ${link.readings} ${link.readings === 1 ? 'time' : 'times'}`,
    ]
      .filter(Boolean)
      .join(' · ')

  const make = () =>
    attempt(
      async () => {
        const body = {
          ...of,
          name: name.trim(),
          until,
          password: password || null,
          frames: frames.split(/[\s,]+/).filter(Boolean),
          workings,
          takes,
          readers: readers
            .split('\n')
            .map((one) => one.trim())
            .filter(Boolean),
        }
        if (body.readers.length) {
          const each = await got(api.POST('/api/links/each', { body }))
          made = each.map((link) => `${link.reader}\t${location.origin}${link.path}`).join('\n')
        } else made = location.origin + (await got(api.POST('/api/links', { body }))).path
        copied = making = false
        name = password = frames = readers = ''
        await load()
      },
      (said) => (failed = said),
    )
  const end = (link: Schemas['LinkOut']) =>
    attempt(
      async () => {
        await got(api.DELETE('/api/links/{key}', { params: { path: { key: link.id } } }))
        await load()
      },
      (said) => (failed = said),
    )
  async function copy() {
    await navigator.clipboard.writeText(made).catch(() => undefined)
    copied = true
  }
</script>

{#each links ?? [] as link (link.id)}
  <div class="link-row">
    <span
      ><b>{link.name}{link.reader ? `: ${link.reader}` : ''}</b>, until {mediumDay(link.until)}<span
        class="small soft">{told(link)}</span
      ></span
    >
    <button
      class="act quiet"
      aria-label="End {link.name}{link.reader ? `: ${link.reader}` : ''}"
      onclick={() => end(link)}>End</button
    >
  </div>
{/each}
{#if made}
  <div class="aside-note" role="status">
    {#if made.includes('\n') || made.includes('\t')}
      <p><b>These links are shown once,</b> one for each reader. Send them now.</p>
      <textarea
        class="type-in"
        readonly
        rows={Math.min(8, made.split('\n').length)}
        aria-label="The new links"
        value={made}
        onfocus={(e) => e.currentTarget.select()}></textarea>
    {:else}
      <p><b>This link is shown once.</b> Send it now; nobody can look it up later.</p>
      <input
        class="type-in"
        readonly
        aria-label="The new link"
        value={made}
        onfocus={(e) => e.currentTarget.select()}
      />
    {/if}
    <button class="act quiet" onclick={copy}>{copied ? 'Copied' : 'Copy'}</button>
    <button class="act quiet" onclick={() => (made = '')}>Done</button>
  </div>
{/if}
{#if failed}<p class="note" role="alert">{failed}</p>{/if}
{#if making}
  <form
    onsubmit={(event) => {
      event.preventDefault()
      void make()
    }}
  >
    <label
      >For whom <input
        class="type-in"
        required
        maxlength="120"
        bind:value={name}
        placeholder="Board"
      /></label
    >
    <label>Until <input class="type-in" type="date" required min={today()} bind:value={until} /></label>
    <label
      >Password, if it needs one
      <input
        class="type-in"
        autocomplete="new-password"
        minlength="8"
        maxlength="200"
        bind:value={password}
      /></label
    >
    <label
      >Sites that may frame it
      <input
        class="type-in"
        maxlength="2000"
        bind:value={frames}
        placeholder="https://intranet.example"
      /></label
    >
    <label class="check"
      ><input type="checkbox" bind:checked={workings} /> with the workings of its readings</label
    >
    <fieldset class="check">
      <legend>May be saved as</legend>
      {#each FORMS as [kind, called] (kind)}<label
          ><input type="checkbox" value={kind} bind:group={takes} /> {called}</label
        >{/each}
    </fieldset>
    <label
      >An address for each reader, one name a line
      <textarea class="type-in" rows="2" maxlength="20000" bind:value={readers}></textarea></label
    >
    <p class="acts">
      <button class="act main">{readers.trim() ? 'Make the links' : 'Make the link'}</button>
      <button type="button" class="act quiet" onclick={() => (making = false)}>Cancel</button>
    </p>
  </form>
{:else}
  <button class="act quiet new" onclick={() => (making = true)}>New link</button>
{/if}

<style>
  .link-row {
    display: flex;
    align-items: baseline;
    justify-content: space-between;
    gap: 8px;
    padding: 6px 0;
    border-bottom: 1px solid var(--rule);
  }
  .link-row .soft {
    display: block;
  }
  form {
    display: grid;
    gap: 8px;
    margin-top: 8px;
  }
  form label {
    font-size: 12.5px;
    color: var(--soft);
  }
  .check {
    display: flex;
    gap: 6px;
    align-items: center;
  }
  .new {
    margin-left: -6px;
  }
  .aside-note {
    margin-top: 8px;
  }
</style>
