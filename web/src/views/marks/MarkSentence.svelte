<script module lang="ts">
  export const GRAINS = ['month', 'quarter', 'year', 'week'] as const
</script>

<script lang="ts">
  /** Which mark of which KPI is edited, of which rows, by what and for which years. */
  import { push } from 'svelte-spa-router'
  import type { Kpi, Schemas } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'

  interface Props {
    kpi: Kpi
    kpis: Kpi[]
    grid: Schemas['Grid']
    /** Go to another one: what changes in the address. */
    to: (edit: Record<string, string>) => void
  }
  let { kpi, kpis, grid, to }: Props = $props()
</script>

<p class="sentence">
  Editing <Slot text={grid.name} label="Mark">
    {#snippet children(close)}
      <Choices
        choices={grid.names.map((mark) => ({
          key: mark.name,
          name: mark.name,
          note: `${mark.entries} entries`,
        }))}
        chosen={grid.name}
        choose={(mark) => {
          to({ mark })
          close()
        }}
      />
      <form
        class="own"
        onsubmit={(event) => {
          event.preventDefault()
          const mark = String(new FormData(event.currentTarget).get('mark') ?? '')
            .trim()
            .toLowerCase()
          if (mark) {
            to({ mark })
            close()
          }
        }}
      >
        <input
          class="type-in"
          name="mark"
          placeholder="another mark"
          aria-label="Another mark"
          maxlength="40"
        />
      </form>
    {/snippet}
  </Slot> of <Slot text={kpi.body.name} label="KPI">
    {#snippet children(close)}
      <Choices
        choices={kpis.map((known) => ({ key: known.id, name: known.body.name }))}
        chosen={kpi.id}
        choose={(id) => {
          push(`/marks/${id}`)
          close()
        }}
      />
    {/snippet}
  </Slot>{#if grid.by}{' by '}<Slot text={grid.by_label.toLowerCase()} label="Segment">
      {#snippet children(close)}
        <Choices
          choices={grid.segments.map((segment) => ({ key: segment, name: segment }))}
          chosen={grid.by}
          choose={(segment) => {
            to({ by: segment })
            close()
          }}
        />
      {/snippet}
    </Slot>{/if}{#if Object.keys(grid.choices).length}{' of '}<Slot
      text={grid.within ? grid.within.member : 'all rows'}
      label="Of which rows"
    >
      {#snippet children(close)}
        <Choices
          choices={[
            { key: '', name: 'all rows' },
            ...Object.entries(grid.choices).flatMap(([segment, members]) =>
              members.map((member) => ({
                key: JSON.stringify([segment, member]),
                name: member,
                note: segment,
              })),
            ),
          ]}
          chosen={grid.within ? JSON.stringify([grid.within.segment, grid.within.member]) : ''}
          choose={(place) => {
            const [within = '', member = ''] = place ? (JSON.parse(place) as string[]) : []
            to({ within, member })
            close()
          }}
        />
      {/snippet}
    </Slot>{/if} and <Slot text={grid.grain} label="Grain">
    {#snippet children(close)}
      <Choices
        choices={GRAINS.map((known) => ({ key: known, name: known }))}
        chosen={grid.grain}
        choose={(known) => {
          to({ grain: known })
          close()
        }}
      />
    {/snippet}
  </Slot> for <Slot text={grid.year.label} label="Year">
    {#snippet children(close)}
      <Choices
        choices={grid.years.map((year) => ({ key: year.key, name: year.label }))}
        chosen={grid.year.key}
        choose={(year) => {
          to({ year })
          close()
        }}
      />
    {/snippet}
  </Slot>, <Slot text={grid.span === 1 ? 'one year' : `${grid.span} years`} label="Years shown">
    {#snippet children(close)}
      <Choices
        choices={[1, 2, 3].map((n) => ({
          key: String(n),
          name: n === 1 ? 'one year' : `${n} years`,
        }))}
        chosen={String(grid.span)}
        choose={(years) => {
          to({ years })
          close()
        }}
      />
    {/snippet}
  </Slot>
</p>

<style>
  .own {
    padding: 6px 4px 2px;
  }
</style>
