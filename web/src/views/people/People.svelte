<script lang="ts">
  /** Everybody who has an account, the teams, and who was asked in. */
  import { api, attempt, got, seen, words, type Schemas } from '../../api/client'
  import { when } from '../../api/days'
  import { known, may } from '../../api/me.svelte'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import { toggled } from '../../parts/toggled'
  import Groups from './Groups.svelte'
  import Teams from './Teams.svelte'
  import { ROLES, roleName, type Role } from './roles'

  let found = $state.raw<Schemas['PeopleOut'] | null>(null)
  let failed = $state('')
  let link = $state<{ whose: string; address: string; until: string; mailed: boolean } | null>(null)
  let asking = $state(false)
  let mail = $state('')
  let name = $state('')
  let role = $state<Role>('reader')
  const mine = $derived(may('own'))

  async function load() {
    try {
      found = await got(api.GET('/api/people'))
    } catch (error) {
      failed = words(error)
    }
  }
  void load()
  const tried = (work: () => Promise<unknown>) =>
    attempt(
      async () => {
        await work()
        await load()
      },
      (told) => (failed = told),
    )
  const told = (whose: string, made: Schemas['LinkMade']) =>
    (link = { whose, address: location.origin + made.path, until: made.until, mailed: made.mailed })

  function askIn(event: SubmitEvent) {
    event.preventDefault()
    void tried(async () => {
      told(name, await got(api.POST('/api/people', { body: { mail, name, role, teams: [] } })))
      asking = false
      mail = name = ''
    })
  }
  const change = (one: Schemas['PersonOut'], slots: Partial<Schemas['PersonChange']>) =>
    tried(() =>
      got(
        api.PUT('/api/people/{key}', {
          params: { path: { key: one.id }, header: seen(one.version) },
          body: { name: one.name, role: one.role, teams: one.teams, ...slots },
        }),
      ),
    )
  const end = (one: Schemas['PersonOut']) =>
    tried(() =>
      got(api.DELETE('/api/people/{key}', { params: { path: { key: one.id }, header: seen(one.version) } })),
    )
  const newLink = (one: Schemas['PersonOut']) =>
    tried(async () =>
      told(one.name, await got(api.POST('/api/people/{key}/link', { params: { path: { key: one.id } } }))),
    )
  const takeBack = (key: string) =>
    tried(() => got(api.DELETE('/api/people/invited/{key}', { params: { path: { key } } })))
  const openAll = () => tried(() => got(api.POST('/api/openings/usual')))
  const teamsOf = (one: Schemas['PersonOut']) =>
    found?.teams.filter((known) => one.teams.includes(known.id)).map((known) => known.name) ?? []
</script>

<main class="page">
  <div class="top">
    <div>
      <h1>People</h1>
      <p class="sentence">
        {#if found}{found.people.length}
          {found.people.length === 1 ? 'person signs' : 'people sign'} in{#if found.teams.length}, in {found
              .teams.length}
            {found.teams.length === 1 ? 'team' : 'teams'}{/if}. What each reads is said on every scorecard and
          dataset under <b>Who reads it</b>.{:else}Reading…{/if}
      </p>
    </div>
    {#if mine}
      <a class="act" href="#/done">What was done</a>
      <button class="act main" onclick={() => (asking = !asking)}>Ask somebody in</button>
    {/if}
  </div>
  {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}
  {#if link}
    <p class="aside-note gap" role="status">
      For {link.whose}, good once, until {when(link.until)}. {link.mailed
        ? 'It goes to their mail; here it is told this once:'
        : 'It is told this once; send it to them:'}
      <input
        class="type-in"
        readonly
        aria-label="Link"
        value={link.address}
        onfocus={(e) => e.currentTarget.select()}
      />
    </p>
  {/if}
  {#if mine && found?.usual}
    <p class="aside-note gap">
      {found.usual}
      {found.usual === 1 ? 'scorecard is' : 'scorecards are'} opened to nobody but analysts, since nothing was said
      of {found.usual === 1 ? 'it' : 'them'} yet.
      <button class="link" onclick={openAll}
        >Open {found.usual === 1 ? 'it' : 'them'} to everyone who signs in</button
      >, or say on each who reads it.
    </p>
  {/if}
  {#if asking}
    <form class="sheet ask gap" onsubmit={askIn}>
      <label>Name <input class="type-in" required maxlength="120" bind:value={name} /></label>
      <label
        >Mail address <input class="type-in" type="email" required maxlength="254" bind:value={mail} /></label
      >
      <p class="sentence">
        comes as <Slot text={roleName(role)} label="Role">
          {#snippet children(close)}
            <Choices
              choices={ROLES}
              chosen={role}
              choose={(key) => {
                role = key as Role
                close()
              }}
            />
          {/snippet}
        </Slot>.
      </p>
      <button class="act main">Make the link</button>
    </form>
  {/if}
  {#if found}
    <div class="two">
      <section class="sheet">
        <h2>Who signs in</h2>
        {#each found.people as one (one.id)}
          <div class="row">
            <div>
              <b>{one.name}</b>{#if one.id === known()?.id}<span class="soft small">&nbsp; you</span>{/if}
              <p class="soft small">{one.mail}</p>
            </div>
            <p class="small words">
              {#if mine}
                <Slot text={roleName(one.role)} label="Role of {one.name}">
                  {#snippet children(close)}
                    <Choices
                      choices={ROLES}
                      chosen={one.role}
                      choose={(key) => {
                        void change(one, { role: key as Role })
                        close()
                      }}
                    />
                  {/snippet}
                </Slot>{#if found!.teams.length}, in
                  <Slot text={teamsOf(one).join(', ') || 'no team'} label="Teams of {one.name}">
                    {#snippet children()}
                      <Choices
                        choices={found!.teams.map((known) => ({ key: known.id, name: known.name }))}
                        many={one.teams}
                        choose={(key) => void change(one, { teams: toggled(one.teams, key) })}
                      />
                    {/snippet}
                  </Slot>{/if}
              {:else}{[roleName(one.role), ...teamsOf(one)].join(', ')}{/if}
            </p>
            <p class="small soft last">
              {one.seen_at ? `signed in ${when(one.seen_at)}` : 'never signed in'}{one.second
                ? ', with a code'
                : ''}
            </p>
            {#if mine && one.id !== known()?.id}
              <span class="right"
                ><Slot text="More" label="More about {one.name}" width={230}>
                  {#snippet children(close)}
                    <div class="more">
                      <button
                        class="act quiet"
                        onclick={() => {
                          void newLink(one)
                          close()
                        }}>Make a link for a new password</button
                      >
                      <button
                        class="act quiet"
                        onclick={() => {
                          void end(one)
                          close()
                        }}>End their account</button
                      >
                    </div>
                  {/snippet}
                </Slot></span
              >
            {:else}<span></span>{/if}
          </div>
        {/each}
        {#each found.invited as one (one.id)}
          <div class="row">
            <div>
              <b>{one.name}</b>
              <p class="soft small">{one.mail}</p>
            </div>
            <p class="small words">{roleName(one.role)}</p>
            <p class="small soft last">asked in until {when(one.ends_at)}</p>
            {#if mine}<button class="act quiet" onclick={() => takeBack(one.id)}>Take back</button>{/if}
          </div>
        {/each}
      </section>
      <div class="right-side">
        <Teams {found} {mine} {tried} />
        {#if mine && known()?.elsewhere}<Groups teams={found.teams} />{/if}
      </div>
    </div>
  {/if}
</main>

<style>
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1.9fr) minmax(0, 1fr);
    gap: 12px;
    align-items: start;
  }
  .right-side {
    display: grid;
    gap: 12px;
  }
  section {
    padding: 12px 14px 14px;
  }
  .row {
    display: grid;
    grid-template-columns: minmax(0, 1.4fr) minmax(0, 1.3fr) minmax(0, 1.1fr) 80px;
    gap: 12px;
    align-items: center;
    padding: 9px 0;
    border-bottom: 1px solid var(--rule);
    overflow-wrap: anywhere;
  }
  .last,
  .right {
    text-align: right;
  }
  .more {
    display: grid;
    justify-items: start;
  }
  .ask {
    display: flex;
    flex-wrap: wrap;
    align-items: end;
    gap: 14px;
    padding: 12px 14px;
  }
  .ask label {
    display: grid;
    gap: 3px;
    width: 240px;
    font-size: 13px;
    font-weight: 600;
  }
  @media (max-width: 900px) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
    .row {
      grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    }
    .last {
      text-align: left;
    }
  }
</style>
