<script lang="ts">
  /** A scorecard on a wall: section by section over the whole screen, turned by keys or by a clock. */
  import { keep } from '../../api/me.svelte'
  import { setContext, tick } from 'svelte'
  import { push, router } from 'svelte-spa-router'
  import { when } from '../../api/days'
  import { whenChanged } from '../../api/changes'
  import type { Picture, Placed, Scope } from '../../api/client'
  import { GRAINS } from '../../api/periods'
  import Tally from '../../parts/Tally.svelte'
  import Wall from './Wall.svelte'
  import { standing } from '../../parts/page/layout'
  import { needOf, screens } from './wall'
  import { Session } from './session.svelte'

  let { params }: { params: { id: string } } = $props()
  const id = $derived(params.id)
  const session = $derived(new Session(id))
  const STALE_MS = 90_000
  const TURNS = [10, 20, 30, 60, 120]
  let at = $state(0)
  let turning = $state(Number(localStorage.getItem('present-turn')) || 0)
  let away = $state(false)
  let readAt = $state(Date.now())
  let now = $state(Date.now())
  let shown = $state(true)
  let width = $state(1920)
  let height = $state(1080)
  let frame = $state<HTMLElement | null>(null)

  const scope = $derived.by((): Scope | null => {
    const query = new URLSearchParams(router.querystring ?? '')
    const members: Record<string, string[]> = {}
    for (const [name, member] of query)
      if (!['period', 'grain', 'section'].includes(name)) (members[name] ??= []).push(member)
    if (!query.has('period') && !Object.keys(members).length) return null
    const grain = GRAINS.find((known) => known === query.get('grain')) ?? 'month'
    return { period: query.get('period') ?? 'complete', grain, members, assume: {} }
  })
  $effect(() => {
    const opened = session
    opened.reading = scope
    void opened.open().then(() => (readAt = Date.now()))
    return whenChanged(
      async () => {
        // The scorecard itself may have been changed, or the server may be a new one: all of it is read again.
        await opened.open()
        if (!opened.problem) readAt = Date.now()
      },
      (gone) => (away = gone),
    )
  })
  $effect(() => {
    const clock = setInterval(() => {
      now = Date.now()
      if (!away && !session.problem) readAt = now
    }, 1000)
    return () => clearInterval(clock)
  })
  $effect(() => {
    if (!turning) return
    const clock = setInterval(() => turn(1), turning * 1000)
    return () => clearInterval(clock)
  })
  // The screen stays on; a lock that was lost with the page out of sight is asked for again.
  $effect(() => {
    let lock: WakeLockSentinel | undefined
    const hold = async () => {
      if (document.visibilityState === 'visible')
        lock = await navigator.wakeLock?.request('screen').catch(() => undefined)
    }
    void hold()
    document.addEventListener('visibilitychange', hold)
    return () => {
      document.removeEventListener('visibilitychange', hold)
      void lock?.release()
    }
  })
  // What is pressed to steer is seen only while a hand moves.
  let rest: ReturnType<typeof setTimeout> | undefined
  function stir() {
    shown = true
    clearTimeout(rest)
    rest = setTimeout(() => (shown = false), 3500)
  }
  $effect(() => {
    stir()
    return () => clearTimeout(rest)
  })

  const card = $derived(session.picture)
  const pictures = $derived(
    Object.fromEntries((card?.instruments ?? []).map((picture): [string, Picture] => [picture.id, picture])),
  )
  const texts = $derived(Object.fromEntries((card?.texts ?? []).map((text) => [text.id, text])))
  setContext('notes', () => session.picture?.notes ?? [])
  let head = $state(90)
  let foot = $state(34)
  const SIDE = 32
  /** Each section laid out anew for the screen, on as many screens as it takes for type that is read from afar. */
  const parts = $derived.by(() =>
    (session.body?.sections ?? []).flatMap((section) => {
      const items = Object.fromEntries(standing(section).map((item) => [item.id, item]))
      const words = card?.sections.find((note) => note.id === section.id)?.words ?? ''
      const need = (item: Placed) => needOf(item, pictures[item.id], texts[item.id])
      return screens(section, need, width - 2 * SIDE, height - head - foot - 34).map((screen) => ({
        title: section.title ?? '',
        words,
        screen,
        items,
      }))
    }),
  )
  const part = $derived(parts[Math.min(at, parts.length - 1)])
  const old = $derived(now - readAt > STALE_MS)

  function turn(by: number) {
    if (parts.length) at = (at + by + parts.length) % parts.length
  }
  function setTurn(seconds: number) {
    turning = seconds
    keep('present-turn', String(seconds))
  }
  async function whole() {
    if (document.fullscreenElement) await document.exitFullscreen()
    else await frame?.requestFullscreen().catch(() => undefined)
    await tick()
  }
  async function leave() {
    if (document.fullscreenElement) await document.exitFullscreen().catch(() => undefined)
    const query = router.querystring
    await push(`/scorecards/${params.id}${query ? `?${query}` : ''}`)
  }
  function key(event: KeyboardEvent) {
    if (event.ctrlKey || event.metaKey || event.altKey) return
    stir()
    const button = (event.target as HTMLElement).closest('button, select')
    if (event.key === 'ArrowRight' || event.key === 'PageDown' || (event.key === ' ' && !button)) turn(1)
    else if (event.key === 'ArrowLeft' || event.key === 'PageUp') turn(-1)
    else if (event.key === 'Home') at = 0
    else if (event.key === 'End') at = parts.length - 1
    else if (event.key.toLowerCase() === 'c') setTurn(turning ? 0 : 20)
    else if (event.key.toLowerCase() === 'f') void whole()
    else if (event.key === 'Escape') void leave()
    else return
    event.preventDefault()
  }
</script>

<svelte:window onkeydown={key} onpointermove={stir} />

<main
  class="wall"
  class:still={!shown}
  bind:this={frame}
  bind:clientWidth={width}
  bind:clientHeight={height}
  aria-label="Presentation"
>
  {#if session.missing}
    <h1>This scorecard is gone</h1>
    <button class="act main" onclick={leave}>Back</button>
  {:else if card && part}
    <header bind:offsetHeight={head}>
      <div class="name">
        <h1>{part.title || session.body?.title}</h1>
        <p>
          {part.title ? `${session.body?.title}, ` : ''}{card.period_label}{card.partial
            ? `, ${card.partial}`
            : ''}{part.words ? ` · ${part.words}` : ''}
        </p>
      </div>
      <div class="tally" style:zoom={Math.max(1, Math.max(width, height) / 1280)}>
        <Tally tally={card.tally} brief />
      </div>
    </header>
    <h2 class="sr-only">Its instruments</h2>
    <Wall screen={part.screen} items={part.items} {pictures} {texts} />
  {:else if card}
    <p class="none">Nothing stands on this scorecard yet.</p>
  {:else}
    <p class="none">{session.problem || 'Reading…'}</p>
  {/if}
  <footer bind:offsetHeight={foot}>
    <span role="status" class:old={old || away}
      >{#if away || old}The server is away. This was read {when(new Date(readAt).toISOString())}; it is asked
        again by itself.{:else}Read {new Date(readAt).toLocaleTimeString([], {
          hour: '2-digit',
          minute: '2-digit',
        })}{/if}</span
    >
    <span class="steer">
      <button class="act quiet" onclick={() => turn(-1)} aria-label="The section before">←</button>
      <span>{parts.length ? Math.min(at, parts.length - 1) + 1 : 0} of {parts.length}</span>
      <button class="act quiet" onclick={() => turn(1)} aria-label="The next section">→</button>
      <label
        >turns <select
          class="type-in"
          value={String(turning)}
          onchange={(event) => setTurn(Number(event.currentTarget.value))}
        >
          <option value="0">by keys</option>
          {#each TURNS as seconds (seconds)}<option value={String(seconds)}>every {seconds} s</option>{/each}
        </select></label
      >
      <button class="act quiet" onclick={whole}>Whole screen</button>
      <button class="act quiet" onclick={leave}>Back to the page</button>
    </span>
  </footer>
</main>

<style>
  .wall {
    position: fixed;
    inset: 0;
    z-index: 50;
    display: flex;
    flex-direction: column;
    padding: 20px 32px 0;
    container-type: size;
    background: var(--paper);
    overflow: hidden;
  }
  .still {
    cursor: none;
  }
  header {
    display: flex;
    align-items: flex-end;
    gap: 32px;
    min-height: 56px;
    margin-bottom: 12px;
  }
  .name {
    flex: 1;
    min-width: 0;
  }
  h1 {
    font-size: clamp(22px, 2.4cqmax, 96px);
    line-height: 1.05;
    text-wrap: balance;
  }
  .name p {
    font-size: clamp(13px, 1.25cqmax, 46px);
    line-height: 1.15;
    color: var(--soft);
    text-wrap: balance;
  }
  .tally {
    width: 34%;
  }
  .none {
    margin: auto;
    font-size: 30px;
  }
  footer {
    display: flex;
    justify-content: space-between;
    align-items: center;
    min-height: 34px;
    font-size: clamp(15px, 0.75cqmax, 28px);
    color: var(--soft);
  }
  .old {
    color: var(--ink);
    font-weight: 650;
    font-size: 20px;
  }
  label {
    display: inline-flex;
    align-items: center;
    gap: 6px;
    white-space: nowrap;
  }
  .steer {
    display: inline-flex;
    align-items: center;
    gap: 14px;
    transition: opacity 0.3s;
  }
  .still .steer:not(:focus-within) {
    opacity: 0;
  }
  @media (prefers-reduced-motion: reduce) {
    .steer {
      transition: none;
    }
  }
</style>
