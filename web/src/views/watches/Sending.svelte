<script lang="ts">
  /** How messages leave: the mail server, webhooks, and what could not be sent. */
  import { api, attempt, got, seen, words, type Schemas } from '../../api/client'
  import { when } from '../../api/days'
  import Delete from '../../parts/Delete.svelte'

  type Hook = Schemas['HookOut']
  let held = $state.raw<Schemas['SendingOut'] | null>(null)
  let body = $state<Schemas['SendingBody'] | null>(null)
  let hooks = $state.raw<Hook[]>([])
  let unsent = $state.raw<Schemas['WayOut'][]>([])
  let failed = $state('')
  let kept = $state('')
  let secret = $state<{ name: string; secret: string } | null>(null)
  let made = $state({ name: '', url: '' })
  let allowed = $state('')
  const say = (words: string) => (failed = words)

  function take(next: Schemas['SendingOut']) {
    held = next
    body = { ...next.body, password: null }
    allowed = (next.body.allowed ?? []).join(', ')
  }
  async function load() {
    try {
      take(await got(api.GET('/api/sending')))
      await lists()
    } catch (error) {
      failed = words(error)
    }
  }
  async function lists() {
    ;[hooks, unsent] = await Promise.all([got(api.GET('/api/hooks')), got(api.GET('/api/sending/unsent'))])
  }
  void load()

  const save = () =>
    attempt(async () => {
      if (!held || !body) return
      const next = { ...body, allowed: allowed.split(/[\s,;]+/).filter(Boolean) }
      take(await got(api.PUT('/api/sending', { params: { header: seen(held.version) }, body: next })))
      kept = 'Kept. Messages that wait are tried with it.'
    }, say)
  const add = () =>
    attempt(async () => {
      secret = await got(api.POST('/api/hooks', { body: made }))
      made = { name: '', url: '' }
      await lists()
    }, say)
  const path = (hook: Hook) => ({ params: { path: { key: hook.id }, header: seen(hook.version) } })
  const renew = (hook: Hook) =>
    attempt(async () => {
      secret = await got(api.POST('/api/hooks/{key}/secret', path(hook)))
      await lists()
    }, say)
  const remove = (hook: Hook) =>
    attempt(async () => {
      await got(api.DELETE('/api/hooks/{key}', path(hook)))
      await lists()
    }, say)
  const again = (key: string) =>
    attempt(async () => {
      await got(api.POST('/api/deliveries/{key}/again', { params: { path: { key } } }))
      await lists()
    }, say)
</script>

<main class="page">
  <div class="top">
    <div>
      <h1>Sending</h1>
      <p class="sentence">How messages leave. An inbox needs none of this.</p>
    </div>
    <a class="act" href="#/watches">Watches</a>
  </div>
  {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}
  {#if secret}
    <p class="note gap" role="status">
      The secret of {secret.name}, shown this once: <code>{secret.secret}</code>. Whoever receives proves with
      it that a message came from here.
      <button class="act quiet" onclick={() => (secret = null)}>I have it</button>
    </p>
  {/if}
  {#if body && held}
    <div class="two">
      <form
        class="sheet"
        onsubmit={(event) => {
          event.preventDefault()
          void save()
        }}
      >
        <h2>Mail server</h2>
        <div class="fields">
          <label
            >Host <input class="type-in" bind:value={body.host} placeholder="none: no mail is sent" /></label
          >
          <label
            >Port <input class="type-in" type="number" min="1" max="65535" bind:value={body.port} /></label
          >
          <label
            >Sealed by <select class="type-in" bind:value={body.tls}>
              <option value="starttls">STARTTLS, usually port 587</option>
              <option value="tls">TLS, usually port 465</option>
              <option value="no">nothing: on a network of your own</option>
            </select></label
          >
          <label>User <input class="type-in" autocomplete="off" bind:value={body.user} /></label>
          <label
            >Password <input
              class="type-in"
              type="password"
              autocomplete="new-password"
              placeholder={held.has_password ? 'kept; type to change it' : 'none'}
              value={body.password ?? ''}
              oninput={(event) => body && (body.password = event.currentTarget.value || null)}
            /></label
          >
          <label>Mail comes from <input class="type-in" bind:value={body.sender} /></label>
          <label
            >Links lead to <input
              class="type-in"
              placeholder="https://marks.example"
              bind:value={body.home}
            /></label
          >
          <label
            >Addresses that analysts may write to, besides those of people here
            <input
              class="type-in"
              placeholder="ops@hollin.example, @hollin.example"
              bind:value={allowed}
            /></label
          >
        </div>
        <p class="line">
          <button class="act main">Keep</button>
          <span class="small soft" role="status">{kept}</span>
        </p>
      </form>
      <section class="sheet">
        <h2>Webhooks</h2>
        {#each hooks as hook (hook.id)}
          <div class="hook">
            <span
              ><b>{hook.name}</b><br /><span class="small soft">{hook.url}</span>
              {#if hook.rotating}<br /><span class="small soft"
                  >signed with the older secret too, until {when(hook.rotating)}</span
                >{/if}</span
            >
            <span class="line">
              <button class="act quiet" onclick={() => renew(hook)}>New secret</button>
              <Delete name={hook.name} remove={() => remove(hook)} />
            </span>
          </div>
        {/each}
        {#if held.hosts.length}
          <form
            class="fields"
            onsubmit={(event) => {
              event.preventDefault()
              void add()
            }}
          >
            <label>Name <input class="type-in" maxlength="120" bind:value={made.name} /></label>
            <label
              >Address <input
                class="type-in"
                placeholder="https://{held.hosts[0]}/…"
                bind:value={made.url}
              /></label
            >
            <button class="act add" disabled={!made.name.trim() || !made.url.trim()}>Add a webhook</button>
          </form>
          <p class="small soft">Messages go to {held.hosts.join(', ')} alone.</p>
        {:else}
          <p class="soft">
            No host may be sent to. Start the server with <code>--send-to</code> and the name of a host.
          </p>
        {/if}
        <h2>Not sent</h2>
        {#each unsent as one (one.id)}
          <div class="hook">
            <span
              >{one.channel === 'mail' ? `mail to ${one.to}` : one.to}<br /><span class="small soft"
                >{one.said.replace(/\.$/, '')}; {one.state === 'failed'
                  ? 'given up'
                  : `tried again ${when(one.due_at)}`}, {one.tries}
                {one.tries === 1 ? 'try' : 'tries'}</span
              ></span
            >
            <button class="act quiet" onclick={() => again(one.id)}>Send now</button>
          </div>
        {:else}<p class="soft">Nothing waits for another try.</p>{/each}
      </section>
    </div>
  {:else if !failed}<p class="soft">Reading…</p>{/if}
</main>

<style>
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    gap: 12px;
    align-items: start;
  }
  .sheet {
    padding: 14px;
    display: grid;
    gap: 10px;
  }
  .fields {
    display: grid;
    gap: 8px;
  }
  .fields label {
    display: grid;
    gap: 2px;
    font-size: 13px;
    color: var(--soft);
  }
  .fields .type-in {
    width: 100%;
    max-width: 420px;
  }
  .add {
    justify-self: start;
  }
  .hook {
    display: flex;
    justify-content: space-between;
    gap: 8px;
    border-bottom: 1px solid var(--rule);
    padding-bottom: 8px;
    overflow-wrap: anywhere;
  }
  .line {
    display: flex;
    align-items: center;
    gap: 8px;
    flex: none;
  }
  code {
    overflow-wrap: anywhere;
  }
  @media (max-width: 900px) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
