<script lang="ts">
  /** Every face in every condition and size, drawn from made-up rows by the same way as any instrument. */
  import { push, router } from 'svelte-spa-router'
  import { api, got, words, type Schemas } from '../../api/client'
  import { kindOf } from '../../faces/names.svelte'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import Sheet from '../../parts/page/Sheet.svelte'

  let { params }: { params: { condition?: string } | undefined } = $props()
  const condition = $derived(params?.condition ?? 'plain')
  const SIZES: Record<string, { name: string; width: number; height: number }> = {
    small: { name: 'small, 160 pixels wide', width: 160, height: 180 },
    normal: { name: 'normal size', width: 400, height: 250 },
    full: { name: 'the full width', width: 1236, height: 620 },
  }
  const size = $derived(new URLSearchParams(router.querystring ?? '').get('size') ?? 'normal')
  const box = $derived(SIZES[size] ?? SIZES.normal!)
  let conditions = $state<Schemas['ConditionOut'][]>([])
  let found = $state.raw<Schemas['Specimen'][]>([])
  let shown = $state('')
  let failed = $state('')
  let pressed = $state('')
  $effect(() => {
    got(api.GET('/api/specimens')).then(
      (answer) => (conditions = answer),
      (error) => (failed = words(error)),
    )
  })
  $effect(() => {
    const key = condition
    failed = ''
    got(api.GET('/api/specimens/{key}', { params: { path: { key } } })).then(
      (answer) => {
        found = answer
        shown = key
      },
      (error) => (failed = words(error)),
    )
  })
  const go = (key: string, wanted: string) => push(`/specimens/${key}?size=${wanted}`)
</script>

<main class="page">
  <h1>Specimens</h1>
  <h2 class="sr-only">Faces</h2>
  <p class="sentence">
    Every face with <Slot
      text={conditions.find((known) => known.key === condition)?.name ?? condition}
      label="Condition"
    >
      {#snippet children(close)}
        <Choices
          choices={conditions}
          chosen={condition}
          choose={(key) => {
            go(key, size)
            close()
          }}
        />
      {/snippet}
    </Slot> at <Slot text={box.name} label="Size">
      {#snippet children(close)}
        <Choices
          choices={Object.entries(SIZES).map(([key, { name }]) => ({ key, name }))}
          chosen={size}
          choose={(key) => {
            go(condition, key)
            close()
          }}
        />
      {/snippet}
    </Slot>, from made-up rows.
  </p>
  {#if failed}<p class="wrong" role="alert">{failed}</p>{/if}
  <p class="small soft" aria-live="polite">{pressed || 'Press a reading to have it told.'}</p>
  <div class="specimens" data-shown={shown} style:--w="{box.width}px" style:--h="{box.height}px">
    {#each found as specimen (specimen.instrument.face)}
      <figure>
        <figcaption class="small soft">{kindOf(specimen.instrument.face).name}</figcaption>
        <section class="sheet" data-face={specimen.instrument.face}>
          <Sheet
            instrument={specimen.instrument}
            picture={specimen.picture}
            open={(reading) => (pressed = reading.spoken)}
          />
        </section>
      </figure>
    {/each}
  </div>
</main>

<style>
  .specimens {
    display: flex;
    flex-wrap: wrap;
    gap: 14px;
    margin-top: 8px;
  }
  figure {
    margin: 0;
    width: min(var(--w), 100%);
  }
  section {
    container: sheet / inline-size;
    display: flex;
    flex-direction: column;
    height: var(--h);
    padding: 10px 13px 11px;
    overflow: hidden;
  }
</style>
