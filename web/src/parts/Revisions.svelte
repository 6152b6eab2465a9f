<script lang="ts" generics="Body extends object">
  /** The forms a document had: who saved which, when, what it changed, and the way back. */
  import { dequal } from 'dequal'
  import { api, got, words, type Schemas } from '../api/client'
  import { untrack } from 'svelte'
  import { when } from '../api/days'

  interface Props {
    kind: 'kpis' | 'yardsticks'
    id: string
    version: number
    /** What is worth showing of a form: its formula, its cuts. */
    detail: (body: Body) => string
    back: (body: Body) => void
    close: () => void
  }
  let { kind, id, version, detail, back, close }: Props = $props()
  let found = $state<Schemas['RevisionOut'][] | null>(null)
  let failed = $state('')
  let more = $state(false)
  const PAGE = 50
  async function ask(before?: number) {
    const params = { path: { key: id }, query: { before, limit: PAGE } }
    const asked =
      kind === 'kpis'
        ? api.GET('/api/kpis/{key}/revisions', { params })
        : api.GET('/api/yardsticks/{key}/revisions', { params })
    try {
      const list = await got<Schemas['RevisionOut'][]>(asked)
      found = before === undefined ? list : [...(found ?? []), ...list]
      more = list.length === PAGE
    } catch (error) {
      failed = words(error)
    }
  }
  $effect(() => {
    void [id, version]
    untrack(() => void ask())
  })
  const bodyOf = (at: number) => found?.[at]?.body as Body | undefined
  function told(at: number): string {
    const now = bodyOf(at)!
    const before = bodyOf(at + 1)
    if (!before) return more ? 'saved' : 'first saved'
    const changed = (Object.keys(now) as (keyof Body)[]).filter((key) => !dequal(now[key], before[key]))
    const names = changed.map((key) => String(key).replace('_', ' '))
    return names.length ? `changed ${names.join(', ')}` : 'saved again'
  }
  const shown = (at: number) => {
    const now = detail(bodyOf(at)!)
    const before = bodyOf(at + 1)
    return before && detail(before) === now ? '' : now
  }
</script>

<section class="sheet pad">
  <div class="line">
    <h2 class="minor">History</h2>
    <button class="act quiet" aria-label="Close the history" onclick={close}>✕</button>
  </div>
  {#if failed}<p class="wrong small">{failed}</p>{/if}
  <ol class="small">
    {#each found ?? [] as revision, i (revision.version)}
      <li>
        <b>{told(i)}</b>
        <span class="soft">{revision.saved_by || 'somebody'}, {when(revision.saved_at)}</span>
        {#if shown(i)}<code>{shown(i)}</code>{/if}
        {#if i > 0}<button class="act" onclick={() => back(revision.body as Body)}>Return to this</button>
        {:else}<span class="soft">as it is now</span>{/if}
      </li>
    {/each}
  </ol>
  {#if more}<button class="act" onclick={() => ask(found?.at(-1)?.version)}>Earlier ones</button>{/if}
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
