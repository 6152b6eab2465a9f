<script lang="ts">
  import Router, { router } from 'svelte-spa-router'
  import { mediumDay } from './api/days'
  import { routes } from './routes'
  import { api, author, got, seen, type Schemas } from './api/client'
  import { setClock } from './api/clock'
  import { LOCALES, writeAs } from './api/numbers'
  import { loadMarkNames } from './api/marknames.svelte'
  import { loadStates } from './api/states.svelte'
  import { loadFaces } from './faces/names.svelte'
  import Find from './views/front/Find.svelte'
  import { keepFocus } from './parts/focus'
  import Keys from './views/front/Keys.svelte'
  import Slot from './parts/Slot.svelte'
  import Tip from './parts/Tip.svelte'

  const words = [
    { path: '/scorecards', name: 'Scorecards' },
    { path: '/kpis', name: 'KPIs' },
    { path: '/yardsticks', name: 'Yardsticks' },
    { path: '/marks', name: 'Mark book' },
    { path: '/data', name: 'Data' },
    { path: '/editions', name: 'Editions' },
  ]
  const here = $derived(['/', '/rows'].includes(router.location) ? '/scorecards' : router.location)

  let mode = $state(
    localStorage.getItem('mode') ?? (matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light'),
  )
  $effect(() => {
    document.documentElement.dataset.mode = mode
    localStorage.setItem('mode', mode)
  })

  void loadStates()
  void loadFaces()
  void loadMarkNames()

  let name = $state(author.get())
  let calendar = $state<Schemas['Calendar'] | null>(null)
  got(api.GET('/api/calendar')).then(
    (found) => {
      calendar = found
      writeAs(found.locale)
      setClock(found.now)
    },
    () => (calendar = null), // the page itself says that the server is away
  )
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
    got(api.GET('/api/notices')).then(
      (found) => (changed = found.length),
      () => (changed = 0),
    )
  })
  let through = $state('')
  /** The datasets, each with its own last complete day. */
  let ends = $state.raw<Schemas['DatasetOut'][]>([])
  $effect(() => {
    void router.location
    got(api.GET('/api/datasets')).then(
      (datasets) => {
        ends = datasets.filter((dataset) => dataset.through)
        // What no KPI reads says nothing of the pages.
        const read = ends.filter((dataset) => dataset.kpis.length)
        const days = [...new Set((read.length ? read : ends).map((dataset) => dataset.through!))].sort()
        through = days.length > 1 ? `${mediumDay(days[0])} – ${mediumDay(days.at(-1))}` : mediumDay(days[0])
      },
      () => (ends = []),
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
  <button class="find" onclick={() => (finding = true)}>Find <kbd>/</kbd></button>
  {#if ends.length}
    <span class="through"
      ><span class="words">Data through&nbsp;</span><Slot text={through} label="Data through" width={300}>
        {#snippet children()}
          <ul class="ends">
            {#each ends as one (one.id)}<li>
                <a href="#/data/{one.id}">{one.name}</a><span>{mediumDay(one.through)}</span>
              </li>{/each}
          </ul>
        {/snippet}
      </Slot></span
    >
  {/if}
  <span class="who">
    <Slot text={initials || 'you'} label="Your name" width={250}>
      {#snippet children(close)}
        <label class="small soft"
          >Numbers are written as
          <select
            class="type-in"
            value={calendar?.locale}
            onchange={(event) => chooseLocale(event.currentTarget.value)}
          >
            {#each LOCALES as [key, example] (key)}<option value={key}>{example}</option>{/each}
          </select></label
        >
        <p class="small soft">Your name stands beside what you change. It is kept in this browser.</p>
        <input
          class="type-in"
          aria-label="What you are called"
          maxlength="60"
          value={name}
          onchange={(event) => {
            author.set(event.currentTarget.value)
            name = author.get()
            close()
          }}
        />
      {/snippet}
    </Slot>
  </span>
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
<Router {routes} restoreScrollState={true} />

<style>
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
  .who > :global(button),
  .through > :global(button) {
    color: #fff;
    font-size: 12.5px;
  }
  .through > :global(button[aria-expanded='true']) {
    background: none;
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
  .through {
    font-size: 13px;
  }
  .ends {
    max-height: 60vh;
    overflow: auto;
  }
  .ends li {
    display: flex;
    gap: 12px;
    justify-content: space-between;
    padding: 5px 6px;
    border-bottom: 1px solid var(--rule);
    color: var(--ink);
  }
  .ends a {
    min-width: 0;
    overflow-wrap: anywhere;
  }
  .ends a:hover {
    color: var(--accent);
  }
  .ends span {
    flex: none;
    color: var(--soft);
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
    .through .words {
      display: none;
    }
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
    .through {
      display: none;
    }
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
