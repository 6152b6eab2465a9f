<script lang="ts">
  /** The palette a yardstick has its states from: choose one, see it as every reader does, or make an own one. */
  import { api, got, newest, seen, words, type Schemas, type YardstickBody } from '../../api/client'
  import { colour, everyPalette, loadStates, on, statesBeside } from '../../api/states.svelte'
  import Choices from '../../parts/Choices.svelte'
  import Sign from '../../parts/Sign.svelte'
  import Slot from '../../parts/Slot.svelte'

  interface Props {
    body: YardstickBody
    keep: (body: YardstickBody) => void
  }
  let { body, keep }: Props = $props()
  type Own = Schemas['PaletteBody']
  const SIGNS: [Own['states'][number]['sign'], string][] = [
    ['deep-under', 'deep under'],
    ['far-under', 'far under'],
    ['just-under', 'just under'],
    ['on', 'on the line'],
    ['just-over', 'just over'],
    ['far-over', 'far over'],
    ['deep-over', 'deep over'],
  ]
  const SEEN: Record<string, string> = {
    full: 'as most see it',
    protan: 'without red cones',
    deutan: 'without green cones',
    tritan: 'without blue cones',
    grey: 'in grey',
  }
  const palettes = $derived(everyPalette())
  const now = $derived(
    palettes.find((palette) => palette.states.some((state) => state.key === body.bands[0])) ?? palettes[0],
  )
  let edited = $state<{ id: string | null; version: number; body: Own } | null>(null)
  let checked = $state<Schemas['PaletteLook'] | null>(null)
  let failed = $state('')
  const shown = $derived(edited ? checked : now)
  const check = newest(async (own: Own) => {
    try {
      checked = await got(api.POST('/api/palettes/check', { body: own }))
      failed = ''
    } catch (error) {
      failed = words(error)
    }
  })
  $effect(() => {
    if (edited) check($state.snapshot(edited.body) as Own)
  })

  /** Every band takes the state that ranks alike in the other palette. */
  function take(key: string) {
    const other = palettes.find((palette) => palette.key === key)
    if (!other) return
    const old = statesBeside(body.bands[0])
    const bands = body.bands.map((band) => {
      const at = old.findIndex((state) => state.key === band)
      const share = old.length > 1 ? at / (old.length - 1) : 0
      return other.states[Math.round(share * (other.states.length - 1))]!.key
    })
    keep({ ...($state.snapshot(body) as YardstickBody), bands })
  }
  function make() {
    if (!now) return
    edited = {
      id: null,
      version: 0,
      body: {
        name: `${now.name} of our own`,
        states: now.states.map((state) => ({
          key: state.key.split('-').at(-1)!,
          name: state.name,
          sign: state.sign as Own['states'][number]['sign'],
          colour: state.colour,
        })),
      },
    }
  }
  async function open() {
    if (!now?.own) return
    try {
      const found = await got(api.GET('/api/palettes/{key}', { params: { path: { key: now.key } } }))
      edited = { id: found.id, version: found.version, body: found.body }
    } catch (error) {
      failed = words(error)
    }
  }
  function add() {
    if (!edited) return
    const taken = new Set(edited.body.states.map((state) => state.sign))
    const sign = SIGNS.find(([key]) => !taken.has(key))?.[0] ?? 'on'
    let n = edited.body.states.length + 1
    while (edited.body.states.some((state) => state.key === `state${n}`)) n++
    edited.body.states.push({ key: `state${n}`, name: `State ${n}`, sign, colour: '#6b7a80' })
  }
  function shift(at: number, way: -1 | 1) {
    const states = edited!.body.states
    states.splice(at + way, 0, states.splice(at, 1)[0]!)
  }
  async function save() {
    if (!edited) return
    const content = $state.snapshot(edited.body) as Own
    try {
      if (edited.id) {
        await got(
          api.PUT('/api/palettes/{key}', {
            params: { path: { key: edited.id }, header: seen(edited.version) },
            body: content,
          }),
        )
        await loadStates()
      } else {
        const made = await got(api.POST('/api/palettes', { body: content }))
        await loadStates()
        take(made.id)
      }
      edited = null
      failed = ''
    } catch (error) {
      failed = words(error)
    }
  }
  async function remove() {
    if (!edited?.id) return
    try {
      await got(
        api.DELETE('/api/palettes/{key}', {
          params: { path: { key: edited.id }, header: seen(edited.version) },
        }),
      )
      await loadStates()
      edited = null
    } catch (error) {
      failed = words(error)
    }
  }
</script>

<section class="palette" aria-label="Palette">
  {#if !edited}
    <p class="soft">
      Its states are those of <Slot text={now?.name ?? 'a palette'} label="Palette" width={280}>
        {#snippet children(close)}
          <Choices
            choices={palettes.map((palette) => ({
              key: palette.key,
              name: palette.name,
              note: `${palette.states.map((state) => state.name).join(', ')}${palette.doubts.length ? ' · flagged' : ''}`,
            }))}
            chosen={now?.key}
            choose={(key) => {
              take(key)
              close()
            }}
          />
        {/snippet}
      </Slot>.
    </p>
    <div class="acts">
      <button class="act quiet" onclick={make}>Make an own palette from it</button>
      {#if now?.own}<button class="act quiet" onclick={open}>Change it</button>{/if}
    </div>
  {:else}
    <input
      class="type-in"
      aria-label="Name of the palette"
      maxlength="120"
      value={edited.body.name}
      onchange={(event) => edited && (edited.body.name = event.currentTarget.value.trim())}
    />
    <p class="small soft">From worst to best. Every state has a colour and a sign of its own.</p>
    {#each edited.body.states as state, at (state.key)}
      <div class="state">
        <input
          type="color"
          aria-label="Colour of {state.name}"
          value={state.colour}
          oninput={(event) => (state.colour = event.currentTarget.value)}
        />
        <input
          class="type-in"
          aria-label="Name of state {at + 1}"
          maxlength="30"
          value={state.name}
          onchange={(event) => (state.name = event.currentTarget.value.trim() || state.name)}
        />
        <select class="type-in" aria-label="Sign of {state.name}" bind:value={state.sign}>
          {#each SIGNS as [key, name] (key)}<option value={key}>{name}</option>{/each}
        </select>
        <button
          class="act quiet"
          disabled={!at}
          aria-label="{state.name} is worse"
          onclick={() => shift(at, -1)}>↑</button
        >
        <button
          class="act quiet"
          disabled={edited.body.states.length <= 2}
          aria-label="Take {state.name} out"
          onclick={() => edited?.body.states.splice(at, 1)}>✕</button
        >
      </div>
    {/each}
    <div class="acts">
      <button class="act" disabled={edited.body.states.length >= 7} onclick={add}>Add a state</button>
      <button class="act main" onclick={save}>Save palette</button>
      {#if edited.id}<button class="act" onclick={remove}>Delete</button>{/if}
      <button class="act quiet" onclick={() => (edited = null)}>Cancel</button>
    </div>
  {/if}
  {#if failed}<p class="wrong small" role="alert">{failed}</p>{/if}
  {#if shown}
    <div class="seen" role="img" aria-label="The palette as different readers see it">
      {#each shown.seen as view (view.vision)}
        <span class="small soft">{SEEN[view.vision]}</span>
        <span class="swatches">
          {#each view.colours as seenColour, i (i)}
            <span
              style:background={seenColour}
              style:color={edited ? shown.states[i]?.light.on : on(shown.states[i]?.key)}
              title={shown.states[i]?.name}
              ><Sign sign={shown.states[i]?.sign} size={13} fill="currentColor" /></span
            >
          {/each}
        </span>
      {/each}
    </div>
    {#if shown.doubts.length}
      <ul class="doubts small" role="alert">
        {#each shown.doubts as doubt, i (i)}<li style:border-color={colour('near')}>{doubt.words}.</li>{/each}
      </ul>
    {:else}<p class="small soft">Told apart by every reader, on paper and on dark.</p>{/if}
  {/if}
</section>

<style>
  .palette {
    display: grid;
    gap: 6px;
    margin-top: 14px;
    padding-top: 10px;
    border-top: 1px solid var(--rule);
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
  }
  .state {
    display: grid;
    grid-template-columns: 30px minmax(0, 1fr) auto auto;
    gap: 4px 5px;
    align-items: center;
    padding-bottom: 5px;
  }
  .state select {
    grid-area: 2 / 2;
  }
  .state input[type='color'] {
    width: 30px;
    height: 28px;
    padding: 0;
    border: 1px solid var(--rule);
    border-radius: 3px;
    cursor: pointer;
  }
  .state .act {
    padding-inline: 4px;
  }
  .seen {
    display: grid;
    grid-template-columns: max-content 1fr;
    gap: 3px 10px;
    align-items: center;
  }
  .swatches {
    display: flex;
  }
  .swatches span {
    display: grid;
    place-items: center;
    flex: 1;
    height: 21px;
  }
  .doubts {
    list-style: none;
    padding: 0;
    display: grid;
    gap: 4px;
  }
  .doubts li {
    border-left: 3px solid;
    padding-left: 8px;
  }
</style>
