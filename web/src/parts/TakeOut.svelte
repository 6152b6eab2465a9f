<script lang="ts">
  /** Everything a page can be taken out as: one press each, with how far it is. */
  import { api, attempt, got, type Schemas } from '../api/client'
  import Choices from './Choices.svelte'
  import PickFile from './PickFile.svelte'
  import Slot from './Slot.svelte'
  import { Taking } from './taking.svelte'

  type Asked = Pick<Schemas['ExportAsk'], 'edition' | 'scorecard' | 'scope'>
  interface Props {
    of: Asked
    /** What a picture can be of: the sheets of the page. */
    sheets: { key: string; name: string }[]
    /** The sections there are, of which some may be taken alone. */
    sections?: { key: string; name: string }[]
  }
  let { of, sheets, sections = [] }: Props = $props()
  let without = $state<string[]>([])
  const some = $derived(sections.filter((one) => !without.includes(one.key)))
  const whole = $derived(some.length === sections.length)
  const taking = new Taking()
  $effect(() => () => taking.leave())
  type Paper = NonNullable<Schemas['ExportAsk']['paper']>
  const PAPERS: { key: Paper; name: string }[] = [
    { key: 'a4', name: 'A4 across' },
    { key: 'a4-upright', name: 'A4 upright' },
    { key: 'a3', name: 'A3 across' },
    { key: 'a3-upright', name: 'A3 upright' },
    { key: 'letter', name: 'Letter across' },
    { key: 'wide', name: '16:9' },
  ]
  let paper = $state<Paper>('a4')
  let sheet = $state('')
  let scale = $state<1 | 2 | 3>(2)
  let charts = $state(false)
  let template = $state('')
  let mine = $state(false)
  let wrong = $state('')
  const say = (said: string) => (wrong = said)
  void attempt(
    async () => {
      template = (await got(api.GET('/api/slide-template'))).name
      mine = !!template
    },
    () => undefined,
  )
  const takeTemplate = (files: FileList | null) =>
    attempt(async () => {
      if (!files?.[0]) return
      wrong = ''
      const form = new FormData()
      form.append('file', files[0])
      const asked = { body: form as never, bodySerializer: (given: unknown) => given as never }
      template = (await got(api.PUT('/api/slide-template', asked))).name
      mine = true
    }, say)
  const dropTemplate = () =>
    attempt(async () => {
      await got(api.DELETE('/api/slide-template'))
      template = ''
      mine = false
    }, say)
  let kind = $state<Schemas['ExportAsk']['kind'] | null>(null)
  const SCALES = [1, 2, 3].map((n) => ({ key: String(n), name: `${n}×` }))
  const shown = $derived(PAPERS.find((one) => one.key === paper)!.name)
  const pictured = $derived(sheets.find((one) => one.key === sheet)?.name ?? 'the page')

  function save(wanted: Schemas['ExportAsk']['kind']) {
    kind = wanted
    const picture = wanted === 'png' || wanted === 'svg'
    void taking.take({
      ...of,
      kind: wanted,
      paper,
      scale,
      instrument: picture && sheet ? sheet : null,
      sections: whole ? [] : some.map((one) => one.key),
      charts,
      template: mine && !!template,
    })
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

{#if sections.length > 1}
  <p class="small of">
    Of <Slot
      text={whole ? 'every section' : `${some.length} of ${sections.length} sections`}
      label="Sections"
      width={240}
    >
      {#snippet children()}
        <div class="sections">
          {#each sections as one (one.key)}
            <label
              ><input
                type="checkbox"
                checked={!without.includes(one.key)}
                disabled={some.length === 1 && !without.includes(one.key)}
                onchange={() =>
                  (without = without.includes(one.key)
                    ? without.filter((key) => key !== one.key)
                    : [...without, one.key])}
              />
              {one.name}</label
            >
          {/each}
        </div>
      {/snippet}
    </Slot>
  </p>
{/if}
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
  <li>
    <span
      >Slides, <Slot text={charts ? 'with charts' : 'with pictures'} label="Slides" width={240}>
        {#snippet children(close)}
          <Choices
            choices={[
              { key: '', name: 'with pictures', note: 'as they are here' },
              { key: 'charts', name: 'with charts', note: 'bars, columns and lines to work with' },
            ]}
            chosen={charts ? 'charts' : ''}
            choose={(key) => {
              charts = key === 'charts'
              close()
            }}
          />
        {/snippet}
      </Slot>, <Slot text={template && mine ? 'on our template' : 'plain'} label="Template" width={260}>
        {#snippet children(close)}
          {#if template}
            <Choices
              choices={[
                { key: '', name: 'plain' },
                { key: 'mine', name: 'on our template', note: template },
              ]}
              chosen={mine ? 'mine' : ''}
              choose={(key) => {
                mine = key === 'mine'
                close()
              }}
            />
          {/if}
          <p class="small soft template">
            A presentation of yours, whose size, masters, fonts and colours are taken.
            <PickFile
              label={template ? 'Take another' : 'Take a template'}
              name="Template of slides"
              accept=".pptx"
              take={(files) => void takeTemplate(files)}
            />
            {#if template}<button class="act quiet" onclick={dropTemplate}>Forget it</button>{/if}
            {#if wrong}<span class="note" role="alert">{wrong}</span>{/if}
          </p>
        {/snippet}
      </Slot></span
    >{@render row('pptx', 'slides')}
  </li>
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
  .template {
    display: grid;
    gap: 6px;
    padding: 6px;
  }
  .of {
    margin-bottom: 4px;
  }
  .sections {
    display: grid;
    gap: 4px;
    padding: 6px;
  }
  .sections label {
    display: flex;
    gap: 6px;
    align-items: baseline;
  }
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
