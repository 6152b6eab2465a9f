<script lang="ts">
  /** Signing in: by password and code, or by a link that is good once. */
  import { router } from 'svelte-spa-router'
  import { api, attempt, got, words, type Schemas } from '../../api/client'
  import { known, loadMe } from '../../api/me.svelte'

  let { token = '' }: { token?: string } = $props()
  let failed = $state(new URLSearchParams(router.querystring ?? '').get('said') ?? '')
  let busy = $state(false)
  let step = $state('')
  let forgot = $state(false)
  let said = $state('')
  let pass = $state.raw<Schemas['PassOut'] | null>(null)
  let mail = $state('')
  let name = $state('')
  let password = $state('')
  let code = $state('')
  let shown = $state(false)

  $effect(() => {
    pass = null
    if (!token) return
    got(api.GET('/api/sign-in/pass/{token}', { params: { path: { token } } })).then(
      (found) => {
        pass = found
        mail = found.mail
        name = found.name
      },
      (error) => (failed = words(error)),
    )
  })
  const asked = $derived(
    token ? 'pass' : forgot ? 'forgot' : step ? 'code' : known()?.any_owner === false ? 'first' : 'password',
  )
  const title = $derived(
    {
      first: 'Nobody owns this yet',
      password: 'Sign in',
      code: 'Your code',
      forgot: 'A new password',
      pass:
        pass?.kind === 'owner' ? 'Make the owner' : pass?.kind === 'password' ? 'A new password' : 'Welcome',
    }[asked],
  )
  async function enter(answer: Schemas['SignedIn']) {
    const byLink = !!token // once somebody is signed in, this is gone
    step = answer.step
    password = ''
    if (step) {
      if (byLink) location.hash = '#/'
      return
    }
    await loadMe()
    if (byLink) location.hash = '#/'
  }
  async function go(event: SubmitEvent) {
    event.preventDefault()
    busy = true
    await attempt(
      async () => {
        const what = asked
        if (what === 'password')
          await enter(await got(api.POST('/api/sign-in', { body: { mail, password } })))
        else if (what === 'code')
          await enter(await got(api.POST('/api/sign-in/second', { body: { step, code } })))
        else if (what === 'forgot') {
          await got(api.POST('/api/sign-in/forgotten', { body: { mail } }))
          said = `An owner has been told that ${mail} asks for a new password, and makes you a link if there is such an account.`
        } else if (what === 'pass')
          await enter(
            await got(
              api.POST('/api/sign-in/pass/{token}', {
                params: { path: { token } },
                body: {
                  password,
                  name: name.trim() || null,
                  mail: pass?.kind === 'owner' ? mail.trim() : null,
                },
              }),
            ),
          )
      },
      (told) => (failed = told),
    )
    busy = false
  }
</script>

<main class="page">
  <form class="sheet" onsubmit={go}>
    <h1>{title}</h1>
    {#if asked === 'first'}
      <p class="sentence">
        When the server started it printed a link, good once and for an hour, by which its first owner is
        made. Open that link; start the server again for another one.
      </p>
    {:else if token && !pass}
      <p class="note" role="alert">{failed || 'Reading…'}</p>
      {#if failed}<a class="act" href="#/">Sign in</a>{/if}
    {:else if said}
      <p class="sentence" role="status">{said}</p>
      <button
        class="act"
        type="button"
        onclick={() => {
          forgot = false
          said = ''
        }}>Back</button
      >
    {:else}
      {#if asked === 'pass' && pass?.kind === 'invited'}<p class="sentence">
          You were asked in as {pass.mail}. Take a password.
        </p>{/if}
      {#if asked === 'pass' && pass?.kind === 'password'}<p class="sentence">
          For {pass.mail}. All browsers you are signed in from are signed out.
        </p>{/if}
      {#if asked === 'code'}
        <label
          >The code that your authenticator shows, or a recovery code
          <!-- svelte-ignore a11y_autofocus -->
          <input
            class="type-in"
            autocomplete="one-time-code"
            required
            maxlength="40"
            autofocus
            bind:value={code}
          />
        </label>
      {:else}
        {#if asked !== 'pass' || pass?.kind === 'owner'}<label
            >Mail address
            <input
              class="type-in"
              type="email"
              autocomplete="username"
              required
              maxlength="254"
              bind:value={mail}
            /></label
          >{:else}<input type="hidden" autocomplete="username" value={mail} />{/if}
        {#if asked === 'pass' && pass?.kind !== 'password'}<label
            >Your name <input
              class="type-in"
              autocomplete="name"
              required
              maxlength="120"
              bind:value={name}
            /></label
          >{/if}
        {#if asked !== 'forgot'}<label
            >Password
            <input
              class="type-in"
              type={shown ? 'text' : 'password'}
              autocomplete={asked === 'password' ? 'current-password' : 'new-password'}
              required
              maxlength="200"
              bind:value={password}
            />
            {#if asked === 'pass'}<span class="small soft"
                >At least 12 characters; a few words in a row do well.</span
              >{/if}</label
          >{/if}
      {/if}
      {#if failed}<p class="wrong" role="alert">{failed}</p>{/if}
      <div class="acts">
        <button class="act main" disabled={busy}
          >{asked === 'forgot' ? 'Ask for it' : asked === 'pass' ? 'Take it' : 'Sign in'}</button
        >
        {#if asked !== 'code' && asked !== 'forgot'}<button
            class="act quiet"
            type="button"
            aria-pressed={shown}
            onclick={() => (shown = !shown)}>{shown ? 'Hide it' : 'Show it'}</button
          >{/if}
        {#if asked === 'password' && known()?.elsewhere}<a class="act" href="/api/sign-in/elsewhere"
            >By your directory</a
          >{/if}
        {#if asked === 'password'}<button
            class="act quiet"
            type="button"
            onclick={() => {
              forgot = true
              failed = ''
            }}>Forgotten</button
          >{/if}
        {#if asked === 'code' || asked === 'forgot'}<button
            class="act quiet"
            type="button"
            onclick={() => {
              step = ''
              forgot = false
              failed = ''
            }}>Back</button
          >{/if}
      </div>
    {/if}
  </form>
</main>

<style>
  form {
    display: grid;
    gap: 12px;
    max-width: 420px;
    margin: 9vh auto 0;
    padding: 22px 24px 24px;
  }
  label {
    display: grid;
    gap: 3px;
    font-size: 13px;
    font-weight: 600;
  }
  label .small {
    font-weight: 400;
  }
  .acts {
    display: flex;
    align-items: center;
    gap: 8px;
  }
</style>
