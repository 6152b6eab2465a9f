<script lang="ts">
  /** Named numbers that formulas use and that can be tried out: a price, a rate, a wage. */
  import { api, attempt, got, seen, words, type Schemas } from '../../api/client'
  import Delete from '../../parts/Delete.svelte'
  import Slot from '../../parts/Slot.svelte'
  import Typed from '../../parts/Typed.svelte'
  import { PLAIN, handleOf } from './drafts'
  import UnitSlot from './UnitSlot.svelte'

  type Assumption = Schemas['Assumption']
  type Body = Schemas['AssumptionBody']
  let every = $state<Assumption[] | null>(null)
  let about = $state<Record<string, Schemas['AssumptionAbout']>>({})
  let named: { body: { handle: string } }[] = []
  let name = $state('')
  let failed = $state('')

  const UNIT = { ...PLAIN, decimals: 2 }
  async function load() {
    try {
      const [found, kpis] = await Promise.all([got(api.GET('/api/assumptions')), got(api.GET('/api/kpis'))])
      named = [...kpis, ...found]
      const told = await Promise.all(
        found.map((one) =>
          got(api.GET('/api/assumptions/{key}/about', { params: { path: { key: one.id } } })),
        ),
      )
      about = Object.fromEntries(found.map((one, at) => [one.id, told[at]!]))
      every = found
    } catch (error) {
      failed = words(error)
    }
  }
  void load()

  async function tried(work: () => Promise<unknown>) {
    await attempt(work, (said) => (failed = said))
    await load()
  }
  const change = (one: Assumption, edit: Partial<Body>) =>
    tried(() =>
      got(
        api.PUT('/api/assumptions/{key}', {
          params: { path: { key: one.id }, header: seen(one.version) },
          body: { ...($state.snapshot(one.body) as Body), ...edit },
        }),
      ),
    )
  const remove = (one: Assumption) =>
    tried(() =>
      got(
        api.DELETE('/api/assumptions/{key}', {
          params: { path: { key: one.id }, header: seen(one.version) },
        }),
      ),
    )
  const add = () =>
    tried(async () => {
      const handle = handleOf(name, named)
      const body = {
        handle,
        name: name.trim(),
        description: '',
        unit: UNIT,
        value: 1,
        least: 0,
        most: 2,
        step: 0.05,
      }
      await got(api.POST('/api/assumptions', { body }))
      name = ''
    })
</script>

<main class="page">
  <div class="top">
    <div>
      <h1>Assumptions</h1>
      <p class="sentence">
        Named numbers that formulas use, such as a price or a wage. A scorecard that depends on one shows it
        as a slider, to see what another value would come to. <a class="link" href="#/kpis"
          >Back to the KPIs</a
        >
      </p>
    </div>
  </div>
  {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}

  {#each every ?? [] as one (one.id)}
    {@const shown = about[one.id]}
    {@const unit = one.body.unit}
    <section class="sheet one" aria-label={one.body.name}>
      <div class="head">
        <h2>
          <Slot text={one.body.name} label="Name">
            {#snippet children(close)}
              <input
                class="type-in"
                aria-label="Name"
                maxlength="120"
                value={one.body.name}
                onchange={(event) => {
                  const name = event.currentTarget.value.trim()
                  if (name) void change(one, { name })
                  close()
                }}
              />
            {/snippet}
          </Slot>
        </h2>
        <code>@{one.body.handle}</code>
        <span class="grow"></span>
        <Delete name={one.body.name} quiet remove={() => remove(one)} />
      </div>
      <div class="sentence line">
        <span>It is</span>
        <Typed
          shown={shown?.value ?? ''}
          label="Value"
          {unit}
          keep={(value) => value !== null && change(one, { value })}
        />
        <span>and can be tried from</span>
        <Typed
          shown={shown?.least ?? ''}
          label="Least"
          {unit}
          keep={(least) => least !== null && change(one, { least })}
        />
        <span>to</span>
        <Typed
          shown={shown?.most ?? ''}
          label="Most"
          {unit}
          keep={(most) => most !== null && change(one, { most })}
        />
        <span>in steps of</span>
        <Typed
          shown={shown?.step ?? ''}
          label="Step"
          {unit}
          keep={(step) => step !== null && change(one, { step })}
        />
        <span
          >as <UnitSlot
            unit={unit ?? UNIT}
            change={(edit) => change(one, { unit: { ...(unit ?? UNIT), ...edit } })}
          /></span
        >
      </div>
      <p class="small soft">
        {#if shown?.named_in.length}Named in {shown.named_in.join(', ')}.{:else}No formula names it yet: write
          <code>@{one.body.handle}</code> in the formula of a KPI.{/if}
      </p>
    </section>
  {:else}
    {#if every}
      <p class="empty sentence">
        There is none yet. Name one below, then write it as <code>@its_handle</code> in a formula.
      </p>
    {:else if !failed}<p class="soft">Reading…</p>{/if}
  {/each}

  <form
    class="add"
    onsubmit={(event) => {
      event.preventDefault()
      if (name.trim()) void add()
    }}
  >
    <input
      class="type-in"
      placeholder="Fuel price"
      aria-label="Name of a new assumption"
      maxlength="120"
      bind:value={name}
    />
    <button class="act" disabled={!name.trim()}>Add an assumption</button>
  </form>
</main>

<style>
  .one {
    padding: 12px 16px;
    margin-top: 12px;
  }
  .head {
    display: flex;
    align-items: baseline;
    gap: 12px;
  }
  .grow {
    flex: 1;
  }
  .line {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 6px 8px;
    margin: 8px 0;
  }
  .line :global(.typed) {
    width: 104px;
  }
  .add {
    display: flex;
    gap: 8px;
    margin-top: 16px;
  }
  .add .type-in {
    width: 240px;
  }
</style>
