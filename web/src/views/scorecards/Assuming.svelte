<script lang="ts">
  /** The assumptions a page depends on, as sliders: moved, the whole page is read anew with that value. */
  import { may } from '../../api/me.svelte'
  import { api, attempt, got, seen, type CardPicture, type Schemas } from '../../api/client'
  import Cases from './Cases.svelte'
  import type { Session } from './session.svelte'

  let { session, card }: { session: Session; card: CardPicture } = $props()
  type Assumption = Schemas['AssumptionPicture']
  let cases = $state<Schemas['Case'][]>([])
  let comparing = $state(false)
  let naming = $state(false)
  let name = $state('')
  let failed = $state('')
  let gone = $state<Schemas['CaseBody'] | null>(null)

  const tried = $derived(card.assumptions.filter((one) => one.tried))
  const values = $derived(Object.fromEntries(tried.map((one) => [one.key, one.value])))
  const isTried = (held: Schemas['Case']) =>
    card.assumptions.every((one) => (held.body.values[one.key] ?? one.kept) === one.value)
  const chosen = $derived(cases.find(isTried))

  async function load() {
    const every = await got(api.GET('/api/cases'))
    cases = every.filter((one) => one.body.scorecard === session.id)
  }
  const refusable = (work: () => Promise<unknown>) => attempt(work, (said) => (failed = said))
  void refusable(load)

  const slide = (one: Assumption, value: number, settled: boolean) =>
    session.assuming({ ...session.assume, [one.key]: value }, settled)
  const back = (one?: Assumption) => {
    const left = Object.entries(session.assume).filter(([key]) => one && key !== one.key)
    session.assuming(Object.fromEntries(left), true)
  }

  /** What is tried becomes the value that holds everywhere. */
  const keep = (one: Assumption) =>
    refusable(async () => {
      const params = { path: { key: one.key } }
      const held = await got(api.GET('/api/assumptions/{key}', { params }))
      await got(
        api.PUT('/api/assumptions/{key}', {
          params: { ...params, header: seen(one.version) },
          body: { ...held.body, value: one.value },
        }),
      )
      back(one)
    })
  const keepCase = () =>
    refusable(async () => {
      await got(
        api.POST('/api/cases', { body: { name: name.trim(), scorecard: session.id, values: { ...values } } }),
      )
      naming = false
      name = ''
      await load()
    })
  const throwAway = (key: string) =>
    refusable(async () => {
      const held = cases.find((one) => one.id === key)!
      await got(api.DELETE('/api/cases/{key}', { params: { path: { key }, header: seen(held.version) } }))
      gone = held.body
      await load()
    })
  const takeBack = () =>
    refusable(async () => {
      if (gone) await got(api.POST('/api/cases', { body: gone }))
      gone = null
      await load()
    })
  const use = (held: Schemas['Case']) => session.assuming({ ...held.body.values }, true)
  const place = (one: Assumption, value: number) => (value - one.least) / (one.most - one.least)
</script>

<section class="sheet assuming" aria-label="Assumptions">
  <div class="sliders">
    {#each card.assumptions as one (one.key)}
      <div class="one" class:tried={one.tried}>
        <label for="assume-{one.key}">{one.name}</label>
        <output class="figure">{one.shown}</output>
        <div class="rail">
          <input
            id="assume-{one.key}"
            type="range"
            min={one.least}
            max={one.most}
            step={one.step}
            value={session.assume[one.key] ?? one.value}
            aria-valuetext="{one.shown}{one.tried ? `, tried; ${one.kept_shown} is kept` : ''}"
            oninput={(event) => slide(one, Number(event.currentTarget.value), false)}
            onchange={(event) => slide(one, Number(event.currentTarget.value), true)}
          />
          <i class="kept" style:--at={place(one, one.kept)} title="kept: {one.kept_shown}"></i>
        </div>
        <div class="ends small">
          <span class="soft">{one.least_shown}</span>
          {#if one.tried}
            <span>
              <button class="act quiet" onclick={() => back(one)}>back to {one.kept_shown}</button>
              <button class="act quiet" onclick={() => keep(one)}>keep {one.shown} for all</button>
            </span>
          {:else}<span class="soft">as kept</span>{/if}
          <span class="soft">{one.most_shown}</span>
        </div>
      </div>
    {/each}
  </div>
  <div class="cases small">
    {#if tried.length}
      <b>Tried, not kept.</b>
      <button class="act quiet" onclick={() => back()}>Back to what is kept</button>
    {/if}
    {#if cases.length}
      <span class="soft">Cases:</span>
      {#each cases as held (held.id)}
        <button class="case" aria-pressed={chosen?.id === held.id} onclick={() => use(held)}
          >{held.body.name}</button
        >
      {/each}
    {/if}
    {#if tried.length && !chosen}
      {#if naming}
        <form
          onsubmit={(event) => {
            event.preventDefault()
            if (name.trim()) void keepCase()
          }}
        >
          <input
            class="type-in"
            aria-label="Name of the case"
            placeholder="Dear fuel"
            maxlength="120"
            {@attach (field) => field.focus()}
            bind:value={name}
            onkeydown={(event) => event.key === 'Escape' && (naming = false)}
          />
          <button class="act" disabled={!name.trim()}>Keep</button>
        </form>
      {:else}<button class="act quiet" onclick={() => (naming = true)}>Keep as a case…</button>{/if}
    {/if}
    {#if cases.length}
      <button class="act quiet" aria-expanded={comparing} onclick={() => (comparing = !comparing)}
        >{comparing ? 'Close the comparison' : 'Compare them'}</button
      >
    {/if}
    {#if gone}
      <span role="status"
        >“{gone.name}” was thrown away.
        <button class="act quiet" onclick={takeBack}>Take it back</button></span
      >
    {/if}
    {#if may('make')}<a class="link edit" href="#/kpis/assumptions">all assumptions</a>{/if}
  </div>
  {#if failed}<p class="wrong small" role="alert">{failed}</p>{/if}
  {#if comparing}
    <Cases
      {session}
      {cases}
      use={(key) => {
        const held = cases.find((one) => one.id === key)
        if (held) use(held)
        else back()
      }}
      {throwAway}
    />
  {/if}
</section>

<style>
  .assuming {
    padding: 8px 14px;
    margin: 8px 0;
  }
  .sliders {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(min(340px, 100%), 1fr));
    gap: 6px 36px;
  }
  .one {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto;
    grid-template-areas: 'name value' 'rail rail' 'ends ends';
    align-items: baseline;
  }
  label {
    grid-area: name;
    font-weight: 600;
  }
  output {
    grid-area: value;
    font-size: 17px;
  }
  .tried output,
  .tried label {
    color: var(--accent);
  }
  .rail {
    grid-area: rail;
    position: relative;
  }
  input[type='range'] {
    width: 100%;
    accent-color: var(--accent);
    height: 24px;
    margin: 0;
  }
  .kept {
    position: absolute;
    top: 1px;
    width: 2px;
    height: 5px;
    background: var(--ink);
    left: calc(8px + (100% - 16px) * var(--at) - 1px);
    pointer-events: none;
  }
  .ends {
    grid-area: ends;
    display: flex;
    justify-content: space-between;
    align-items: center;
    min-height: 26px;
    margin-top: -3px;
  }
  .cases {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px 10px;
    border-top: 1px solid var(--rule);
    margin-top: 6px;
    padding-top: 6px;
  }
  .cases form {
    display: flex;
    gap: 6px;
  }
  .case {
    border: 1px solid var(--rule);
    border-radius: 3px;
    padding: 2px 9px;
    min-height: 26px;
    color: var(--accent);
  }
  .case[aria-pressed='true'] {
    background: var(--accent-tint);
    border-color: var(--accent);
    font-weight: 620;
  }
  .edit {
    margin-left: auto;
  }
</style>
