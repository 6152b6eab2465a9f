<script lang="ts">
  /** What a KPI comes to: by period, and by member in one of them. */
  import type { Dataset, Schemas } from '../../api/client'
  import { GRAINS, type Grain } from '../../api/periods'
  import Bullet from '../../faces/Bullet.svelte'
  import History from '../../faces/History.svelte'
  import { LOOK } from '../../faces/looks'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'

  interface Props {
    good: Schemas['Preview']
    columns: Dataset['columns']
    grain: Grain
    ask: (edit: { grain?: Grain; period?: string; by?: string }) => void
  }
  let { good, columns, grain, ask }: Props = $props()
</script>

<div class="results">
  <section class="sheet pad">
    <div class="line">
      <h2 class="minor">
        Result by <Slot text={grain} label="Grain">
          {#snippet children(close)}
            <Choices
              choices={GRAINS.map((known) => ({ key: known, name: known }))}
              chosen={grain}
              choose={(known) => {
                ask({ grain: known as Grain, period: 'complete' })
                close()
              }}
            />
          {/snippet}
        </Slot>
      </h2>
      <span class="small soft">{good.graded}</span>
    </div>
    {#if good.history}<History
        picture={good.history}
        chosen={good.period}
        choose={(period) => ask({ period })}
      />{/if}
  </section>
  {#if good.by_member}
    <section class="sheet pad">
      <div class="line">
        <h2 class="minor">
          By <Slot text={good.by_label.toLowerCase()} label="Segment">
            {#snippet children(close)}
              <Choices
                choices={columns
                  .filter((column) => column.role === 'segment')
                  .map((column) => ({ key: column.name, name: column.label }))}
                chosen={good?.by}
                choose={(by) => {
                  ask({ by })
                  close()
                }}
              />
            {/snippet}
          </Slot>, {good.period_label}
        </h2>
        <span class="small soft">{good.members.length} members</span>
      </div>
      <div class="members"><Bullet picture={good.by_member} look={LOOK} /></div>
    </section>
  {/if}
</div>

<style>
  .results {
    display: grid;
    gap: 12px;
    min-width: 0;
  }
  .members {
    max-height: 330px;
    overflow-y: auto;
  }
  .pad {
    padding: 12px 14px;
  }
  .line {
    display: flex;
    justify-content: space-between;
    align-items: baseline;
    margin-bottom: 8px;
  }
</style>
