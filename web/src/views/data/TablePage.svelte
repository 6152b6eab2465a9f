<script lang="ts">
  /** A table as it came, marked in its margins like a proof: press what is taken for the wrong thing, or a sentence. */
  import DropAnywhere from '../../parts/DropAnywhere.svelte'
  import { push } from 'svelte-spa-router'
  import { words, type Schemas } from '../../api/client'
  import { count } from '../../api/numbers'
  import Choices from '../../parts/Choices.svelte'
  import PickFile from '../../parts/PickFile.svelte'
  import Slot from '../../parts/Slot.svelte'
  import TableProof from './TableProof.svelte'
  import TableSays from './TableSays.svelte'
  import { looking } from '../../parts/looking.svelte'
  import { Sending, lookAt, type Recipe } from './upload.svelte'

  type Look = Schemas['TableLook']
  type Line = Look['lines'][number]
  const sending = new Sending()
  let look = $state.raw<Look | null>(null)
  /** What is asked for by now, which may not have come yet: the next step goes on from it. */
  let asked = $state.raw<Recipe | undefined>(undefined)
  let before = $state.raw<Recipe[]>([]) // what was said by hand, step by step
  let chosen = $state<number | null>(null)
  let failed = $state('')
  let plain = $state(false)
  let busy = $state(false)
  let then = $state<'scorecard' | 'data'>('scorecard')
  let turn = 0

  async function read(recipe?: Recipe, sheet?: string) {
    const file = looking.file
    if (!file) return
    const mine = ++turn
    asked = recipe
    busy = true
    plain = false
    try {
      const found = await lookAt(file, recipe, sheet)
      if (mine !== turn) return
      look = found
      asked = found?.recipe
      plain = !found // it is large, or of a kind that says itself what is in it
    } catch (error) {
      if (mine === turn) failed = words(error)
    }
    busy = false
  }
  $effect(() => {
    void looking.file
    before = []
    chosen = null
    void read(undefined, looking.sheet)
  })
  /** Read it anew with something said by hand; what was said before can be gone back to. */
  function say(edit: Partial<Recipe>) {
    const held = asked ?? look?.recipe
    if (!held) return
    before = [...before, held]
    void read({ ...held, ...edit })
  }
  function back() {
    const last = before.at(-1)
    before = before.slice(0, -1)
    if (last) void read(last)
  }
  const recipe = $derived((asked ?? look?.recipe) as Record<string, Record<string, string>> | undefined)
  function sayLine(at: number, kind: Line['kind']) {
    say({ lines: { ...recipe?.['lines'], [at]: kind } })
    chosen = null
  }
  const sayColumn = (label: string, kind: string) =>
    say({ columns: { ...recipe?.['columns'], [label]: kind } })
  function slot(key: string, to: string) {
    if (key.startsWith('column:')) return sayColumn(key.slice(7), to)
    say({ [key]: key === 'year' ? Number(to) : to })
  }

  async function keep() {
    if (!looking.file) return
    busy = true
    failed = ''
    try {
      // A plain list is read as one, and needs no recipe.
      const aim = look && (!look.tidy || before.length) ? { recipe: look.recipe, name: look.name } : {}
      const made = await sending.send(looking.file, aim)
      if (made) {
        looking.file = null
        await push(then === 'scorecard' ? `/rows?of=${made}` : `/data/${made}`)
      }
    } catch (error) {
      failed = words(error)
    }
    busy = false
  }
</script>

<DropAnywhere />
<main class="page">
  <div class="top">
    <div class="grow">
      <h1>{looking.file?.name ?? 'A table'}</h1>
      <p class="sentence">
        {#if look?.sheets.length}Sheet <Slot text={look.sheet?.name ?? ''} label="Sheet">
            {#snippet children(close)}
              <Choices
                choices={look!.sheets}
                chosen={look?.sheet?.key}
                choose={(name) => {
                  close()
                  before = []
                  void read(undefined, name)
                }}
              />
            {/snippet}
          </Slot> of {look.sheets.length}, as it came; press anything that is taken for the wrong thing
        {:else if look}As it came; press anything that is taken for the wrong thing
        {:else if plain}A list that is read as it is.
        {:else if looking.file}Reading…
        {:else}Choose a file or paste cells, and see what they are taken for.{/if}
      </p>
    </div>
    {#if before.length}<button class="act" onclick={back}>Take it back</button>{/if}
    {#if look}
      <button class="act main" disabled={busy || !look.rows} onclick={keep}>Read it like this</button>
    {:else if plain}
      <button class="act main" disabled={busy} onclick={keep}>Read it</button>
    {:else if !looking.file}
      <PickFile
        label="Choose a file"
        name="File with a table"
        accept=".csv,.tsv,.txt,.xlsx,.xls,.ods,.html,.htm"
        main
        take={(files) => (looking.file = files?.[0] ?? null)}
      />
    {/if}
  </div>
  {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}
  {#if sending.stage && busy}<p class="aside-note gap" role="status">{sending.stage}…</p>{/if}

  {#if look}
    <div class="two" class:dim={busy}>
      <div class="left">
        <TableProof {look} bind:chosen {sayLine} {sayColumn} />
        <TableSays {look} {slot} />
        <p class="small soft kept">
          Kept for the next file: what is new is read alike, and what no longer fits is asked about.
        </p>
      </div>
      <aside class="sheet comes">
        <h2>What comes of it</h2>
        {#each look.outcomes as one (one.name)}
          <div class="outcome">
            <span><b>{one.name}</b><br /><span class="small soft">{one.says}</span></span>
            <b>{one.shown}</b>
          </div>
        {:else}<p class="small soft">No figures yet. Say which line is the head.</p>{/each}
        <p class="small soft">
          {count(look.rows)}
          {look.rows === 1 ? 'row' : 'rows'}{look.period ? '' : '; none says when it is of'}.
        </p>
        <p class="then" role="group" aria-label="Then">
          <span class="soft small">Then</span>
          <button class="act" aria-pressed={then === 'scorecard'} onclick={() => (then = 'scorecard')}
            >a scorecard from it</button
          >
          <button class="act" aria-pressed={then === 'data'} onclick={() => (then = 'data')}
            >only the data</button
          >
        </p>
      </aside>
    </div>
  {/if}
</main>

<style>
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 300px;
    gap: 12px;
    align-items: start;
  }
  .dim {
    opacity: 0.6;
  }
  .left {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 12px;
  }
  .kept {
    padding: 0 14px;
  }
  .comes {
    display: grid;
    gap: 8px;
    padding: 14px 16px;
  }
  .outcome {
    display: flex;
    justify-content: space-between;
    gap: 10px;
    align-items: baseline;
    padding-bottom: 6px;
    border-bottom: 1px solid var(--rule);
  }
  .outcome > :last-child {
    white-space: nowrap;
  }
  .then {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    align-items: center;
  }
  @media (max-width: 900px) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
    .top {
      flex-wrap: wrap;
    }
  }
</style>
