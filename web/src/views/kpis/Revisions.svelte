<script lang="ts">
  /** The forms a KPI had: who saved which, when, what it changed, and the way back. */
  import { api, got, words, type Kpi, type Schemas } from '../../api/client'
  import { when } from '../data/days'

  type Body = Schemas['KpiBody']
  interface Props {
    kpi: Kpi
    back: (body: Body) => void
    close: () => void
  }
  let { kpi, back, close }: Props = $props()
  let found = $state<Schemas['RevisionOut'][] | null>(null)
  let failed = $state('')
  $effect(() => {
    void kpi.version
    got(api.GET('/api/kpis/{key}/revisions', { params: { path: { key: kpi.id } } })).then(
      (list) => (found = list),
      (error) => (failed = words(error)),
    )
  })
  const NAMES: Partial<Record<keyof Body, string>> = { nature: 'nature', pro_rating: 'pro-rating' }
  function told(at: number): string {
    const now = found![at]!.body as Body
    const before = found![at + 1]?.body as Body | undefined
    if (!before) return 'first saved'
    const changed = (Object.keys(now) as (keyof Body)[]).filter(
      (key) => JSON.stringify(now[key]) !== JSON.stringify(before[key]),
    )
    return changed.length ? `changed ${changed.map((key) => NAMES[key] ?? key).join(', ')}` : 'saved again'
  }
</script>

<section class="sheet pad">
  <div class="line">
    <h3>History</h3>
    <button class="act quiet" aria-label="Close the history" onclick={close}>✕</button>
  </div>
  {#if failed}<p class="wrong small">{failed}</p>{/if}
  <ol class="small">
    {#each found ?? [] as revision, i (revision.version)}
      <li>
        <b>{told(i)}</b>
        <span class="soft">{revision.saved_by || 'somebody'}, {when(revision.saved_at)}</span>
        {#if (revision.body as Body).formula !== (found?.[i + 1]?.body as Body | undefined)?.formula}
          <code>{(revision.body as Body).formula}</code>
        {/if}
        {#if i > 0}<button class="act" onclick={() => back(revision.body as Body)}>Return to this</button>
        {:else}<span class="soft">as it is now</span>{/if}
      </li>
    {/each}
  </ol>
</section>

<style>
  .pad {
    padding: 12px 14px;
  }
  .line {
    display: flex;
    justify-content: space-between;
  }
  ol {
    max-height: 420px;
    overflow-y: auto;
  }
  li {
    display: grid;
    gap: 3px;
    justify-items: start;
    padding: 8px 0;
    border-bottom: 1px solid var(--rule);
  }
  code {
    padding: 0;
    background: none;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
</style>
