<script lang="ts">
  /** Axis, ticks, figures and title of an instrument, as sentences. */
  import type { Instrument, Kpi, Picture } from '../../api/client'
  import { kindOf } from '../../faces/names.svelte'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import Typed from '../../parts/Typed.svelte'

  interface Props {
    instrument: Instrument
    picture: Picture | undefined
    kpi: Kpi | undefined
    change: (says: string, make: (instrument: Instrument) => void) => void
  }
  let { instrument, picture, kpi, change }: Props = $props()
  const kind = $derived(kindOf(instrument.face))
  const look = $derived(instrument.look as Record<string, { full?: string }>)
  /** A full track that is each one's own mark needs no ends. */
  const ends = $derived(kind.ends && !(kind.full && look[instrument.face]?.full === 'mark'))
  const given = $derived(instrument.axis?.low != null || instrument.axis?.high != null)
  const decimals = $derived(instrument.decimals ?? kpi?.body.unit?.decimals ?? 0)
  const compact = $derived(instrument.compact ?? kpi?.body.unit?.compact ?? false)
  const own = $derived(instrument.decimals != null || instrument.compact != null)
  const places = (count: number) => `${count || 'no'} ${count === 1 ? 'decimal' : 'decimals'}`
  const TICKS = [
    { key: 'own', name: 'where the face has them' },
    { key: 'none', name: 'nowhere' },
    { key: 'ends', name: 'the ends' },
    { key: 'cuts', name: 'the cuts' },
    ...[2, 3, 4, 5, 6, 8, 10, 12].map((count) => ({
      key: String(count),
      name: `about ${count} round places`,
    })),
  ]
  const ticks = $derived(instrument.ticks === 'round' ? String(instrument.tick_count) : instrument.ticks)
  const END = { low: 'from', high: 'to' } as const
</script>

{#snippet end(which: 'low' | 'high')}
  <Slot
    text={(which === 'low' ? picture?.axis?.low_shown : picture?.axis?.high_shown) || 'chosen for me'}
    label="Axis {END[which]}"
    width={230}
  >
    {#snippet children(close)}
      <div class="pad">
        <Typed
          label="Axis {END[which]}, typed"
          kpi={instrument.kpi}
          blank
          shown={(which === 'low' ? picture?.axis?.low_shown : picture?.axis?.high_shown) ?? ''}
          keep={(value) => {
            change('change the axis', (draft) => (draft.axis = { ...draft.axis, [which]: value }))
            close()
          }}
        />
      </div>
      {#if given}
        <button
          class="act quiet"
          onclick={() => {
            change('choose the axis', (draft) => (draft.axis = { low: null, high: null }))
            close()
          }}>Choose the axis for me</button
        >
      {/if}
    {/snippet}
  </Slot>
{/snippet}

<p class="settings">
  {#if ends}
    Its axis runs from {@render end('low')} to {@render end('high')}{given ? '' : ', chosen for me'}.
  {/if}
  {#if kind.ticks}
    Ticks at <Slot
      text={TICKS.find((known) => known.key === ticks)?.name ?? `about ${ticks} round places`}
      label="Ticks"
      width={230}
    >
      {#snippet children(close)}
        <Choices
          choices={TICKS.filter((known) => known.key !== 'cuts' || instrument.yardstick)}
          chosen={ticks}
          choose={(key) => {
            change('change the ticks', (draft) => {
              const count = Number(key)
              draft.ticks = count ? 'round' : (key as Instrument['ticks'])
              if (count) draft.tick_count = count
            })
            close()
          }}
        />
      {/snippet}
    </Slot>.
  {/if}
  Figures <Slot
    text={own ? `with ${places(decimals)}${compact ? ', compact' : ''}` : 'as the KPI has them'}
    label="Number format"
    width={250}
  >
    {#snippet children()}
      <Choices
        choices={[
          { key: 'kpi', name: 'as the KPI has them', note: places(kpi?.body.unit?.decimals ?? 0) },
          ...[0, 1, 2, 3].map((count) => ({
            key: String(count),
            name: `${count} ${count === 1 ? 'decimal' : 'decimals'}`,
          })),
        ]}
        chosen={own ? String(decimals) : 'kpi'}
        choose={(key) =>
          change('change the number format', (draft) => {
            draft.decimals = key === 'kpi' ? null : Number(key)
            if (key === 'kpi') draft.compact = null
          })}
      />
      {#if kpi?.body.unit?.kind !== 'percent'}
        <label class="check small"
          ><input
            type="checkbox"
            checked={compact}
            onchange={(event) =>
              change('change the number format', (draft) => (draft.compact = event.currentTarget.checked))}
          /> compact: thousands as k, millions as m</label
        >
      {/if}
    {/snippet}
  </Slot>. Title <Slot text={instrument.title || 'its own'} label="Title" width={300}>
    {#snippet children(close)}
      <div class="pad">
        <input
          class="type-in"
          aria-label="Title, typed"
          placeholder={picture?.title}
          value={instrument.title ?? ''}
          maxlength="120"
          onkeydown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
          onchange={(event) => {
            change('rename an instrument', (draft) => (draft.title = event.currentTarget.value.trim()))
            close()
          }}
        />
        <p class="small soft">Left empty, it is called by what it shows.</p>
      </div>
    {/snippet}
  </Slot>.
</p>

<style>
  .pad {
    padding: 6px 8px;
  }
  .check {
    display: flex;
    gap: 6px;
    align-items: center;
    padding: 6px 8px;
  }
  input[type='checkbox'] {
    accent-color: var(--accent);
  }
</style>
