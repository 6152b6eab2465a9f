<script lang="ts">
  /** Beside a KPI: its earlier forms, the workings of what it reads, notes about it, and where it is used. */
  import type { Kpi, Schemas } from '../../api/client'
  import Account from '../../parts/Account.svelte'
  import Revisions from '../../parts/Revisions.svelte'
  import Uses from '../../parts/Uses.svelte'
  import KpiNotes from './KpiNotes.svelte'

  type Body = Schemas['KpiBody']
  interface Props {
    kept: Kpi | null
    uses: Schemas['KpiUse'][]
    /** Whether earlier forms are shown. */
    past: boolean
    workings?: Schemas['Workings'] | null
    /** Whether the workings are of what stood there before. */
    stale: boolean
    back: (earlier: Body) => void
    close: () => void
  }
  let { kept, uses, past, workings, stale, back, close }: Props = $props()
</script>

<aside>
  {#if past && kept}<Revisions
      kind="kpis"
      id={kept.id}
      version={kept.version}
      detail={(form: Body) => form.formula}
      back={(earlier: Body) => back($state.snapshot(earlier) as Body)}
      {close}
    />{/if}
  {#if workings}
    <section class="sheet" class:stale>
      <div class="line">
        <h2 class="minor">Workings</h2>
        <span class="small soft">{workings.subtitle}</span>
      </div>
      <Account found={workings} formula={false} />
    </section>
  {/if}
  {#if kept}
    <KpiNotes kpi={kept.id} />
    <section class="sheet">
      <Uses {uses} />
      <p class="small next">
        <a class="link" href="#/marks/{kept.id}">Its marks</a> say what it is measured against.
      </p>
    </section>
  {/if}
</aside>

<style>
  aside {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 12px;
    min-width: 0;
  }
  .sheet {
    padding: 12px 14px;
  }
  .stale {
    opacity: 0.45;
  }
  .line {
    display: flex;
    justify-content: space-between;
    align-items: baseline;
    margin-bottom: 8px;
  }
  .next {
    margin-top: 8px;
  }
</style>
