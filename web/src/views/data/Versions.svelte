<script lang="ts">
  import { count } from '../../api/numbers'
  /** The versions of a dataset's rows, what each changed, and the way back to it. */
  import { api, got, seen, words, type Dataset, type Schemas } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import { longDay, when } from '../../api/days'

  const KEPT = [10, 50, 200, 1000]

  interface Props {
    dataset: Dataset
    shown: (dataset: Dataset) => void
    keep: (versions: number) => void
  }
  let { dataset, shown, keep }: Props = $props()
  type Told = {
    before: number
    after: number
    put_in: number
    taken_out: number
    first: string | null
    last: string | null
    last_before: string | null
    came: Record<string, string[]>
    went: Record<string, string[]>
    columns: string[]
  }
  let versions = $state<Schemas['VersionOut'][] | null>(null)
  let failed = $state('')
  const HOW: Record<string, string> = {
    first: 'first upload',
    replace: 'replaced all rows',
    append: 'added rows',
    periods: 'replaced the days it covers',
    typed: 'typed in',
    ticked: 'ticked',
  }
  $effect(() => {
    void dataset.version
    got(api.GET('/api/datasets/{key}/versions', { params: { path: { key: dataset.id } } })).then(
      (found) => (versions = found),
      (error) => (failed = words(error)),
    )
  })
  async function back(number: number) {
    try {
      const path = { key: dataset.id, number }
      shown(
        await got(
          api.POST('/api/datasets/{key}/versions/{number}/show', {
            params: { path, header: seen(dataset.version) },
          }),
        ),
      )
    } catch (error) {
      failed = words(error)
    }
  }
  function told(version: Schemas['VersionOut']): string[] {
    const changes = version.changes as Told | null
    if (!changes) return []
    const label = (name: string) => dataset.columns.find((column) => column.name === name)?.label ?? name
    const members = (found: Record<string, string[]>, says: string) =>
      Object.entries(found).map(
        ([name, list]) =>
          `${label(name)}: ${list.slice(0, 4).join(', ')}${list.length > 4 ? ` and ${list.length - 4} more` : ''} ${says}`,
      )
    return [
      `${count(changes.put_in)} rows in, ${count(changes.taken_out)} out`,
      changes.last !== changes.last_before ? `now to ${longDay(changes.last)}` : '',
      ...members(changes.came, changes.came ? 'new' : ''),
      ...members(changes.went, 'gone'),
      changes.columns.length ? `new columns: ${changes.columns.join(', ')}` : '',
    ].filter(Boolean)
  }
</script>

<section class="sheet pad">
  <h2 class="minor">Versions</h2>
  <p class="small sentence">
    The last <Slot text={String(dataset.keep_versions)} label="How many are kept" width={180}>
      {#snippet children(close)}
        <Choices
          choices={KEPT.map((many) => ({ key: String(many), name: `the last ${many}` }))}
          chosen={String(dataset.keep_versions)}
          choose={(many) => {
            keep(Number(many))
            close()
          }}
        />
      {/snippet}
    </Slot> are kept, and of earlier ones the last of each day.
  </p>
  {#if failed}<p class="wrong small" role="alert">{failed}</p>{/if}
  <ol>
    {#each versions ?? [] as version (version.number)}
      <li class:on={version.shown}>
        <div class="head">
          <b>{version.number}</b>
          <span>{HOW[version.how] ?? version.how}, {count(version.row_count)} rows</span>
          {#if version.shown}<span class="small soft">shown</span>
          {:else}<button class="act" onclick={() => back(version.number)}>Return to it</button>{/if}
        </div>
        <p class="small soft">
          {[version.file_name, version.saved_by, when(version.created_at)].filter(Boolean).join(', ')}
        </p>
        {#each told(version) as line (line)}<p class="small">{line}</p>{/each}
      </li>
    {/each}
  </ol>
</section>

<style>
  .pad {
    padding: 12px 14px;
  }
  ol {
    max-height: 300px;
    overflow-y: auto;
  }
  li {
    padding: 7px 0 7px 10px;
    border-bottom: 1px solid var(--rule);
    border-left: 3px solid transparent;
  }
  li.on {
    border-left-color: var(--accent);
  }
  .head {
    display: flex;
    gap: 8px;
    align-items: baseline;
  }
  .head span:nth-child(2) {
    flex: 1;
  }
</style>
