<script lang="ts">
  /** Everything a page can be taken out as: one press each, with how far it is. */
  import type { Schemas } from '../api/client'
  import Choices from './Choices.svelte'
  import Slot from './Slot.svelte'
  import { Taking } from './taking.svelte'

  type Asked = Pick<Schemas['ExportAsk'], 'edition' | 'scorecard' | 'scope'>
  interface Props {
    of: Asked
    /** What a picture can be of: the sheets of the page. */
    sheets: { key: string; name: string }[]
  }
  let { of, sheets }: Props = $props()
  const taking = new Taking()
  $effect(() => () => taking.leave())
  type Paper = NonNullable<Schemas['ExportAsk']['paper']>
  const PAPERS: { key: Paper; name: string }[] = [
    { key: 'a4', name: 'A4 across' },
    { key: 'a3', name: 'A3 across' },
    { key: 'letter', name: 'Letter across' },
    { key: 'wide', name: '16:9' },
  ]
  let paper = $state<Paper>('a4')
  let sheet = $state('')
  let scale = $state<1 | 2 | 3>(2)
  let kind = $state<Schemas['ExportAsk']['kind'] | null>(null)
  const SCALES = [1, 2, 3].map((n) => ({ key: String(n), name: `${n}×` }))
  const shown = $derived(PAPERS.find((one) => one.key === paper)!.name)
  const pictured = $derived(sheets.find((one) => one.key === sheet)?.name ?? 'the page')

  function save(wanted: Schemas['ExportAsk']['kind']) {
    kind = wanted
    const picture = wanted === 'png' || wanted === 'svg'
    void taking.take({ ...of, kind: wanted, paper, scale, instrument: picture && sheet ? sheet : null })
  }
</script>

{#snippet row(wanted: Schemas['ExportAsk']['kind'], name: string)}
  <button class="save" disabled={!!taking.job} aria-label="Save {name}" onclick={() => save(wanted)}
    >Save</button
  >
  {#if taking.job && kind === wanted}
    <p class="going small" role="status">
      <span>{taking.job.stage || 'is fetched'}</span>
      <progress max="1" value={taking.job.share} aria-label="How far it is"></progress>
      <button class="act quiet" onclick={() => taking.stop()}>Stop</button>
    </p>
  {/if}
{/snippet}

<ul>
  <li>
    <span
      >PDF, <Slot text={shown} label="Paper" width={180}>
        {#snippet children(close)}
          <Choices
            choices={PAPERS}
            chosen={paper}
            choose={(key) => {
              paper = key as Paper
              close()
            }}
          />
        {/snippet}
      </Slot></span
    >{@render row('pdf', 'PDF')}
  </li>
  <li><span>Slides, 16:9</span>{@render row('pptx', 'slides')}</li>
  <li><span>Spreadsheet</span>{@render row('xlsx', 'the spreadsheet')}</li>
  <li><span>One file for the browser</span>{@render row('html', 'one file for the browser')}</li>
  <li>
    <span
      >PNG of <Slot text={pictured} label="Picture of">
        {#snippet children(close)}
          <Choices
            choices={[{ key: '', name: 'the page' }, ...sheets]}
            chosen={sheet}
            choose={(key) => {
              sheet = key
              close()
            }}
          />
        {/snippet}
      </Slot>, <Slot text="{scale}×" label="Sharpness" width={120}>
        {#snippet children(close)}
          <Choices
            choices={SCALES}
            chosen={String(scale)}
            choose={(key) => {
              scale = Number(key) as 1 | 2 | 3
              close()
            }}
          />
        {/snippet}
      </Slot></span
    >{@render row('png', 'PNG')}
  </li>
  <li><span>SVG of {pictured}</span>{@render row('svg', 'SVG')}</li>
  <li><span>Readings, CSV</span>{@render row('csv', 'readings as CSV')}</li>
  <li><span>Everything, JSON</span>{@render row('json', 'everything as JSON')}</li>
</ul>
{#if taking.failed}<p class="note" role="alert">{taking.failed}</p>{/if}

<style>
  li {
    display: flex;
    flex-wrap: wrap;
    align-items: baseline;
    justify-content: space-between;
    gap: 0 8px;
    padding: 5px 0;
    border-bottom: 1px solid var(--rule);
  }
  li > span {
    flex: 1;
    min-width: 0;
  }
  .save {
    min-height: 24px;
    color: var(--accent);
    font-weight: 640;
    cursor: pointer;
  }
  .save:disabled {
    opacity: 0.5;
    cursor: default;
  }
  .going {
    display: flex;
    flex-basis: 100%;
    align-items: center;
    gap: 8px;
  }
  progress {
    width: 70px;
    accent-color: var(--accent);
  }
</style>
