<script lang="ts">
  /** One's own account: password, second factor, browsers, and tokens for machines. */
  import { api, attempt, got, type Schemas } from '../../api/client'
  import { when } from '../../api/days'
  import { known, loadMe } from '../../api/me.svelte'
  import { roleName } from './roles'
  import Machines from './Machines.svelte'

  const me = $derived(known())
  let sittings = $state.raw<Schemas['SittingOut'][]>([])
  let failed = $state('')
  let said = $state('')
  let before = $state('')
  let password = $state('')
  let again = $state('')
  let code = $state('')
  let begun = $state.raw<Schemas['SecondBegun'] | null>(null)
  let codes = $state.raw<string[]>([])

  const list = async () => (sittings = await got(api.GET('/api/me/sittings')))
  list().catch(() => undefined)
  const tried = (work: () => Promise<unknown>) => attempt(work, (told) => (failed = told))
  const change = (event: SubmitEvent) => {
    event.preventDefault()
    void tried(async () => {
      await got(api.PUT('/api/me/password', { body: { before, password } }))
      before = password = ''
      said = 'Your password is another one; all other browsers were signed out.'
      await list()
    })
  }
  const begin = () =>
    tried(async () => {
      begun = await got(api.POST('/api/me/second', { body: { password: again } }))
      again = ''
    })
  const confirm = () =>
    tried(async () => {
      codes = await got(api.PUT('/api/me/second', { body: { code } }))
      begun = null
      code = ''
      await loadMe()
    })
  const drop = () =>
    tried(async () => {
      await got(api.DELETE('/api/me/second', { body: { password: again } }))
      again = ''
      codes = []
      await loadMe()
    })
  const end = (key?: string) =>
    tried(async () => {
      if (key) await got(api.DELETE('/api/me/sittings/{key}', { params: { path: { key } } }))
      else await got(api.DELETE('/api/me/sittings'))
      await list()
    })
  /** A browser as one would call it. */
  const browser = (text: string) => {
    const name = /(Firefox|Edg|Chrome|Safari)\//.exec(text)?.[1] ?? text.slice(0, 40)
    const on = /(Windows|Mac OS X|Android|iPhone|Linux)/.exec(text)?.[1]
    return on ? `${name === 'Edg' ? 'Edge' : name}, ${on === 'Mac OS X' ? 'macOS' : on}` : name || 'a program'
  }
</script>

<main class="page">
  <h1>Your account</h1>
  {#if me?.signs_in}
    <p class="sentence gap">
      {me.name}, {me.mail}: {roleName(me.role)}{me.teams.length
        ? `, in ${me.teams.join(', ')}`
        : ''}{me.some_rows ? '. Of some data you read some rows' : ''}.
    </p>
    {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}
    {#if said}<p class="aside-note gap" role="status">{said}</p>{/if}
    <div class="two">
      <form class="sheet" onsubmit={change}>
        <h2>Password</h2>
        <input
          class="sr-only"
          type="text"
          autocomplete="username"
          value={me.mail}
          readonly
          tabindex="-1"
          aria-hidden="true"
        />
        <label
          >The one of now <input
            class="type-in"
            type="password"
            autocomplete="current-password"
            required
            bind:value={before}
          /></label
        >
        <label
          >Another one <input
            class="type-in"
            type="password"
            autocomplete="new-password"
            required
            bind:value={password}
          /><span class="small soft">At least 12 characters; a few words in a row do well.</span></label
        >
        <button class="act main">Change it</button>
      </form>
      <section class="sheet">
        <h2>A code besides the password</h2>
        {#if codes.length}
          <p class="aside-note" role="status">
            From now on a code is asked for. Keep these: each gets you in once without the authenticator. They
            are told this once.
          </p>
          <ul class="codes">
            {#each codes as one (one)}<li>{one}</li>{/each}
          </ul>
        {:else if begun}
          <p class="sentence">Photograph this with your authenticator, or type the secret into it.</p>
          <!-- Made by the server from the secret alone. -->
          <img
            alt="The secret, to be photographed"
            src="data:image/svg+xml;utf8,{encodeURIComponent(begun.picture)}"
          />
          <p class="small secret">{begun.secret}</p>
          <label
            >The code it shows <input
              class="type-in"
              inputmode="numeric"
              autocomplete="one-time-code"
              maxlength="10"
              bind:value={code}
            /></label
          >
          <button class="act main" disabled={!code.trim()} onclick={confirm}>Ask for codes from now on</button
          >
        {:else}
          <p class="sentence">
            {me.second
              ? `A code is asked for. ${me.codes_left} recovery codes are left.`
              : 'Nobody gets in with your password alone, once a code of an authenticator is asked for too.'}
          </p>
          <form
            class="bare"
            onsubmit={(event) => {
              event.preventDefault()
              void (me?.second ? drop() : begin())
            }}
          >
            <input
              class="sr-only"
              type="text"
              autocomplete="username"
              value={me.mail}
              readonly
              tabindex="-1"
              aria-hidden="true"
            />
            <label
              >Your password <input
                class="type-in"
                type="password"
                autocomplete="current-password"
                bind:value={again}
              /></label
            >
            <button class="act" disabled={!again}>{me.second ? 'Ask for no code any more' : 'Begin'}</button>
          </form>
        {/if}
      </section>
      <section class="sheet">
        <h2>Where you are signed in</h2>
        {#each sittings as one (one.id)}
          <div class="row">
            <span><b>{browser(one.browser)}</b><span class="small soft">{one.address}</span></span>
            <span class="small soft">{one.here ? 'here, now' : `last used ${when(one.used_at)}`}</span>
            {#if !one.here}<button class="act quiet" onclick={() => end(one.id)}>End</button>{:else}<span
              ></span>{/if}
          </div>
        {/each}
        {#if sittings.length > 1}<button class="act" onclick={() => end()}>End all others</button>{/if}
      </section>
      <Machines />
    </div>
  {:else}
    <p class="sentence gap">
      Nobody signs in here: whoever reaches this machine is its owner. Start it with <b>--sign-in</b> to have accounts.
    </p>
    <div class="two"><Machines /></div>
  {/if}
</main>

<style>
  .two {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(min(430px, 100%), 1fr));
    gap: 12px;
    align-items: start;
  }
  form,
  section {
    display: grid;
    gap: 10px;
    justify-items: start;
    padding: 12px 14px 14px;
  }
  .bare {
    padding: 0;
  }
  label {
    display: grid;
    gap: 3px;
    width: min(320px, 100%);
    font-size: 13px;
    font-weight: 600;
  }
  label .small {
    font-weight: 400;
  }
  .row {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto 60px;
    gap: 12px;
    align-items: center;
    width: 100%;
    padding: 6px 0;
    border-bottom: 1px solid var(--rule);
  }
  .row b,
  .row .small {
    display: block;
  }
  .codes {
    display: grid;
    grid-template-columns: repeat(2, 1fr);
    gap: 2px 18px;
    font-weight: 600;
  }
  .secret {
    overflow-wrap: anywhere;
    font-weight: 600;
  }
  img {
    width: 190px;
    background: #fff;
  }
</style>
