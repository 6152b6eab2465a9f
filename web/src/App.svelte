<script lang="ts">
  import Router, { router } from 'svelte-spa-router'
  import { routes } from './routes'
  import { api, got, insisted, seen, type Schemas } from './api/client'
  import { keep, known, loadMe, may, rename, signOut } from './api/me.svelte'
  import { setClock } from './api/clock'
  import { LOCALES, writeAs } from './api/numbers'
  import { loadMarkNames } from './api/marknames.svelte'
  import { loadStates } from './api/states.svelte'
  import { loadFaces } from './faces/names.svelte'
  import DataThrough from './views/front/DataThrough.svelte'
  import Find from './views/front/Find.svelte'
  import { keepFocus } from './parts/focus'
  import Keys from './views/front/Keys.svelte'
  import Slot from './parts/Slot.svelte'
  import Tip from './parts/Tip.svelte'

  const places = [
    { path: '/scorecards', name: 'Scorecards', verb: 'read' },
    { path: '/kpis', name: 'KPIs', verb: 'make' },
    { path: '/yardsticks', name: 'Yardsticks', verb: 'make' },
    { path: '/marks', name: 'Mark book', verb: 'mark' },
    { path: '/data', name: 'Data', verb: 'make' },
    { path: '/editions', name: 'Editions', verb: 'read' },
    { path: '/watches', name: 'Watches', verb: 'read' },
    { path: '/people', name: 'People', verb: 'make' },
  ]
  const closed = [
    { path: '/watches/sending', verb: 'own' },
    { path: '/rows', verb: 'make' },
    { path: '/done', verb: 'own' },
    { path: '/upkeep', verb: 'own' },
  ]
  const me = $derived(known())
  const words = $derived(places.filter((one) => may(one.verb) && (one.path !== '/people' || me?.signs_in)))
  /** What is asked for is for others: what is told instead. */
  const kept = $derived(
    [...places, ...closed].find((one) => router.location.startsWith(one.path) && !may(one.verb)),
  )
  const entering = $derived(router.location.startsWith('/sign-in'))
  const here = $derived(['/', '/rows'].includes(router.location) ? '/scorecards' : router.location)

  let mode = $state(
    localStorage.getItem('mode') ?? (matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light'),
  )
  $effect(() => {
    document.documentElement.dataset.mode = mode
    if (localStorage.getItem('mode') !== mode) keep('mode', mode)
  })

  let away = $state('')
  insisted(() => loadMe()).catch(() => (away = 'The server does not answer.'))
  let begun = false
  /** What every page needs, once somebody is known. */
  $effect(() => {
    if (!me?.signed_in || begun) return
    begun = true
    mode = localStorage.getItem('mode') ?? mode
    const zone = Intl.DateTimeFormat().resolvedOptions().timeZone ?? ''
    if (localStorage.getItem('zone') !== zone) keep('zone', zone) // by which messages are not sent at night
    void loadStates()
    void loadFaces()
    void loadMarkNames()
    loadCalendar()
  })

  const name = $derived(me?.name ?? '')
  let calendar = $state<Schemas['Calendar'] | null>(null)
  function loadCalendar() {
    got(api.GET('/api/calendar')).then(
      (found) => {
        calendar = found
        writeAs(found.locale)
        setClock(found.now)
      },
      () => (calendar = null), // the page itself says that the server is away
    )
  }
  async function chooseLocale(locale: string) {
    if (!calendar) return
    const header = seen(calendar.version)
    const body = { year_start: calendar.year_start, locale }
    await got(api.PUT('/api/calendar', { params: { header }, body })).catch(() => null)
    location.reload() // every figure on the page is written anew
  }
  const initials = $derived(
    name
      .split(/\s+/)
      .map((part) => part[0] ?? '')
      .join('')
      .slice(0, 3)
      .toLocaleUpperCase(),
  )
  /** How much a new version changed in what is kept that nobody has read yet. */
  let changed = $state(0)
  $effect(() => {
    void router.location
    if (!may('make')) return
    got(api.GET('/api/notices')).then(
      (found) => (changed = found.length),
      () => (changed = 0),
    )
  })
  $effect(keepFocus)

  let finding = $state(false)
  let keysShown = $state(false)
  function find(event: KeyboardEvent) {
    const target = event.target as HTMLElement
    if (event.key === '?' && !target.closest('input, textarea, select, [contenteditable]')) {
      keysShown = true
      return
    }
    if (
      event.key !== '/' ||
      event.ctrlKey ||
      event.metaKey ||
      target.closest('input, textarea, select, [contenteditable]')
    )
      return
    event.preventDefault()
    finding = true
  }
</script>

<svelte:window onkeydown={find} />
{#if finding}<Find close={() => (finding = false)} />{/if}
{#if keysShown}<Keys close={() => (keysShown = false)} />{/if}

<header class="frame">
  <a class="brand" href="#/scorecards">
    <svg viewBox="0 0 22 18" width="20" height="17" aria-hidden="true">
      <path d="M7 3H2V15H20V3H15" fill="none" stroke="currentColor" stroke-width="2" />
      <path d="M11 0V9" stroke="currentColor" stroke-width="2.2" />
      <path d="M6.5 8H15.5L11 14Z" fill="currentColor" />
    </svg>
    Iron Mark
  </a>
  <nav aria-label="Main">
    {#each words as word (word.path)}
      <a href="#{word.path}" aria-current={here.startsWith(word.path) ? 'page' : undefined}>{word.name}</a>
    {/each}
  </nav>
  {#if me?.signed_in}<button class="find" onclick={() => (finding = true)}>Find <kbd>/</kbd></button>{/if}
  {#if may('make')}<DataThrough />{/if}
  {#if me?.signed_in}<span class="who">
      <Slot
        text={me.signs_in ? name : initials || 'you'}
        label={me.signs_in ? 'You' : 'Your name'}
        width={260}
      >
        {#snippet children(close)}
          <label class="small soft"
            >Numbers are written as
            <select
              class="type-in"
              value={calendar?.locale}
              disabled={!may('own')}
              onchange={(event) => chooseLocale(event.currentTarget.value)}
            >
              {#each LOCALES as [key, example] (key)}<option value={key}>{example}</option>{/each}
            </select></label
          >
          <p class="small soft">Your name stands beside what you change.</p>
          <input
            class="type-in"
            aria-label="What you are called"
            maxlength="60"
            value={name}
            onchange={(event) => {
              const typed = event.currentTarget.value.trim()
              rename(typed).then(close, () => (event.currentTarget.value = name))
            }}
          />
          <p class="you small">
            {#if me?.signs_in}<a class="link" href="#/me" onclick={close}>Your account</a>{/if}
            {#if may('own')}<a class="link" href="#/done" onclick={close}>What was done</a>
              <a class="link" href="#/upkeep" onclick={close}>Upkeep</a>{/if}
            {#if me?.signs_in}<button class="link" onclick={() => signOut()}>Sign out</button>{/if}
          </p>
        {/snippet}
      </Slot>
    </span>{/if}
  <button class="mode" onclick={() => (mode = mode === 'dark' ? 'light' : 'dark')}>
    {mode === 'dark' ? 'Paper' : 'Dark'}
  </button>
</header>
{#if changed && router.location !== '/changed'}
  <p class="told">
    A new version changed marks that are kept here. <a class="link" href="#/changed">See what was changed</a>
  </p>
{/if}
<Tip />
{#if !me}
  {#if away}<p class="told">{away}</p>{/if}
{:else if entering || !me.signed_in}
  {#await import('./views/people/SignIn.svelte') then { default: SignIn }}
    <SignIn token={entering ? (router.location.split('/')[2] ?? '') : ''} />
  {/await}
{:else if kept}
  <main class="page">
    <h1>{kept.verb === 'own' ? 'What was done' : 'For those who make scorecards'}</h1>
    <p class="sentence">
      You are here as a {me.role === 'keeper' ? 'keeper of marks' : me.role}, and this is opened to
      {kept.verb === 'own' ? 'owners' : kept.verb === 'mark' ? 'keepers of marks' : 'analysts'}. Go on to the
      <a class="link" href="#/scorecards">scorecards</a>, or ask an owner for another role.
    </p>
  </main>
{:else}
  <Router {routes} restoreScrollState={true} />
{/if}

<style>
  .you {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 14px;
    margin-top: 10px;
  }
  .told {
    padding: 7px 20px;
    border-bottom: 1px solid var(--rule);
    background: var(--sheet);
  }
  .frame {
    position: sticky;
    top: 0;
    z-index: 40;
    display: flex;
    align-items: center;
    gap: 14px;
    min-height: 44px;
    padding: 0 20px;
    background: var(--frame);
    color: #c9cfd2;
    flex-wrap: wrap;
  }
  .brand {
    display: inline-flex;
    align-items: center;
    gap: 9px;
    color: #fff;
    font-weight: 720;
    font-stretch: 122%;
    font-size: 14px;
    letter-spacing: 0.09em;
    text-transform: uppercase;
    margin-right: 18px;
  }
  .who > :global(button) {
    color: #fff;
    font-size: 12.5px;
  }
  nav {
    display: flex;
    align-self: stretch;
    flex: 1;
    overflow-x: auto;
  }
  nav a {
    position: relative;
    display: flex;
    align-items: center;
    padding: 0 14px;
    font-weight: 520;
    color: #b9c0c4;
    white-space: nowrap;
    min-height: 44px;
  }
  nav a:hover {
    color: #fff;
  }
  nav a[aria-current] {
    color: #fff;
    font-weight: 620;
  }
  nav a[aria-current]::after {
    content: '';
    position: absolute;
    left: 50%;
    bottom: 0;
    translate: -50% 0;
    border: 6px solid transparent;
    border-top: 0;
    border-bottom-color: var(--paper);
  }
  .find {
    color: #c9cfd2;
    font-size: 13px;
    cursor: pointer;
    min-height: 32px;
    padding: 0 6px;
  }
  .find:hover {
    color: #fff;
  }
  .mode {
    padding: 3px 9px;
    border-radius: 3px;
    background: #37434b;
    color: #fff;
    font-size: 12.5px;
    font-weight: 600;
    cursor: pointer;
  }
  .frame :focus-visible {
    outline-color: #c3aef0;
  }
  @media (max-width: 1120px) {
    .frame {
      gap: 8px;
    }
    .brand {
      margin-right: 2px;
      letter-spacing: 0.04em;
    }
    nav {
      scrollbar-width: none;
    }
    nav a {
      padding: 0 9px;
    }
  }
  @media (max-width: 700px) {
    .frame {
      position: static;
      padding: 0 10px;
      gap: 4px 12px;
    }
    .find,
    .mode {
      min-height: 44px;
    }
    nav {
      order: 3;
      flex-basis: 100%;
      scrollbar-width: none;
    }
    nav a {
      padding: 0 8px;
    }
    .brand {
      flex: 1;
      min-height: 44px;
    }
  }
</style>
