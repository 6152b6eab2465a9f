<script lang="ts">
  /** Who reads something, as a paragraph that can be changed; each of them with the reason, and the page with their eyes. */
  import { api, got, Refusal, seen, words, type Schemas } from '../../api/client'
  import { mediumDay, when } from '../../api/days'
  import { may } from '../../api/me.svelte'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import StateChip from '../../parts/StateChip.svelte'
  import Tally from '../../parts/Tally.svelte'
  import { toggled } from '../../parts/toggled'
  import { named, subjects } from './roles'
  import RowRules from './RowRules.svelte'

  type Kind = 'scorecard' | 'dataset' | 'kpi' | 'folder'
  let { params }: { params: { kind: string; id: string } } = $props()
  const kind = $derived(params.kind as Kind)
  const path = $derived({ kind, key: decodeURIComponent(params.id) })
  let opening = $state.raw<Schemas['OpeningOut'] | null>(null)
  let people = $state.raw<Schemas['PeopleOut'] | null>(null)
  let chosen = $state('')
  let asRead = $state.raw<Schemas['AsRead'] | null>(null)
  let failed = $state('')
  let unread = $state('')

  async function load() {
    try {
      ;[opening, people] = await Promise.all([
        got(api.GET('/api/openings/{kind}/{key}', { params: { path } })),
        got(api.GET('/api/people')),
      ])
    } catch (error) {
      failed = words(error)
    }
  }
  $effect(() => {
    void path
    opening = asRead = null
    chosen = ''
    void load()
  })
  async function change(slots: Partial<Schemas['OpeningBody']>) {
    if (!opening) return
    failed = ''
    try {
      opening = await got(
        api.PUT('/api/openings/{kind}/{key}', {
          params: { path, header: seen(opening.version) },
          body: { ...opening.body, ...slots },
        }),
      )
    } catch (error) {
      const again = error instanceof Refusal && error.problem.status === 412
      if (again) await load()
      failed = again
        ? 'Somebody else has opened or closed it meanwhile. It was read again; change it once more.'
        : words(error)
    }
    if (chosen) void look(chosen)
  }
  async function look(person: string) {
    chosen = person
    unread = ''
    try {
      const found = await got(
        api.GET('/api/openings/scorecard/{key}/as/{person}', { params: { path: { key: path.key, person } } }),
      )
      if (chosen === person) asRead = found
    } catch (error) {
      asRead = null
      unread = words(error)
    }
  }
  const can = $derived(!!opening?.may_change)
  const rows = $derived((opening?.readers.length ?? 0) + (opening?.machines.length ?? 0))
  const back = $derived(
    {
      scorecard: `#/scorecards/${params.id}`,
      dataset: `#/data/${params.id}`,
      kpi: `#/kpis/${params.id}`,
      folder: '#/scorecards',
    }[kind],
  )
  const many = (some: unknown[], one: string, more: string) =>
    some.length ? `${some.length} ${some.length === 1 ? one : more}` : ''
  const count = $derived(
    opening
      ? [many(opening.readers, 'person', 'people'), many(opening.machines, 'machine', 'machines')]
          .filter(Boolean)
          .join(' and ')
      : '',
  )
  const presses = $derived(kind === 'scorecard' && may('own'))
</script>

{#snippet slot(what: 'read' | 'change' | 'marks', nobody = 'owners alone')}
  {#if can}<Slot
      text={named(opening!.body[what] ?? [], people!, nobody)}
      label="Whom it is opened to: {what}"
      width={290}
    >
      {#snippet children()}
        <Choices
          choices={subjects(people!)}
          many={opening!.body[what] ?? []}
          choose={(key) => void change({ [what]: toggled(opening!.body[what] ?? [], key) })}
        />
      {/snippet}
    </Slot>{:else}<b>{named(opening!.body[what] ?? [], people!, nobody)}</b>{/if}
{/snippet}

<main class="page">
  <div class="top">
    <div>
      <h1>Who reads {opening?.name ?? '…'}</h1>
      <p class="sentence">
        {count}{count && presses ? '; press anyone to read it with their eyes' : ''}
      </p>
    </div>
    <a class="act" href={back}>Back to it</a>
    {#if may('own')}<a class="act" href="#/done?kind={kind}&record={params.id}">What was done</a>{/if}
  </div>
  {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}
  {#if opening && people}
    <div class="two">
      <div class="left" class:apart={kind !== 'scorecard'}>
        <section class="sheet">
          <p class="sentence told">
            {#if kind === 'dataset'}
              Its figures are read by {@render slot('read')}, on the scorecards that are opened to them; its
              rows are looked at and changed by {@render slot('change')}.
            {:else if kind === 'kpi'}
              Beyond the scorecards that show it, it is read by {@render slot('read')}, changed by {@render slot(
                'change',
              )}, and its marks are kept by {@render slot('marks')}.
            {:else if kind === 'folder'}
              Whatever scorecard is put into it is read by {@render slot('read')} and changed by {@render slot(
                'change',
              )}, beside those whom it is opened to by itself.
            {:else}
              It is read by {@render slot('read')}, changed by {@render slot('change')}. Notes may be written
              by
              {#if can}<Slot
                  text={opening.body.notes === 'readers' ? 'whoever reads it' : 'the analysts'}
                  label="Who writes notes"
                >
                  {#snippet children(close)}
                    <Choices
                      choices={[
                        { key: 'readers', name: 'whoever reads it' },
                        { key: 'makers', name: 'the analysts' },
                      ]}
                      chosen={opening!.body.notes}
                      choose={(key) => {
                        void change({ notes: key as 'readers' | 'makers' })
                        close()
                      }}
                    />
                  {/snippet}
                </Slot>{:else}<b>{opening.body.notes === 'readers' ? 'whoever reads it' : 'the analysts'}</b
                >{/if}.
              {#if opening.datasets.length}Which rows each reads is said where the rows are:
                {#each opening.datasets as one, at (one.id)}{at ? ', ' : ''}<a
                    class="link"
                    href="#/people/dataset/{one.id}">{one.name}</a
                  >{/each}.{/if}
            {/if}
            Owners may do everything.
          </p>
          {#if kind === 'dataset'}
            <RowRules {opening} {people} can={may('own')} {change} />
          {/if}
        </section>
        <section class="sheet each">
          <h2>Each of them, and why</h2>
          {#each opening.readers as one (one.id)}
            <svelte:element
              this={presses ? 'button' : 'div'}
              class="row"
              class:on={chosen === one.id}
              aria-pressed={presses ? chosen === one.id : undefined}
              role={presses ? undefined : 'group'}
              onclick={() => presses && look(one.id)}
            >
              <span><b>{one.name}</b><span class="small soft">{one.because}</span></span>
              <span class="small soft right">{one.rows} · {one.may}</span>
            </svelte:element>
          {/each}
          {#each opening.machines as one (one.id)}
            <div class="row">
              <span
                ><b>{one.name}</b><span class="small soft"
                  >a machine of {one.made_by || 'the owner’s'}{one.until
                    ? `, until ${mediumDay(one.until)}`
                    : ''}</span
                ></span
              >
              <span class="small soft right"
                >{one.used_at ? `last asked ${when(one.used_at)}` : 'never asked'}</span
              >
            </div>
          {/each}
          {#if !rows}<p class="soft small">Nobody but owners, once there are some.</p>{/if}
        </section>
      </div>
      {#if kind === 'scorecard'}
        <section class="sheet eyes">
          {#if unread}<p class="note" role="alert">{unread}</p>
          {:else if asRead}
            <h2>
              As {asRead.person} reads it
              <span class="small soft"
                >{asRead.rows}{asRead.rows === 'all rows'
                  ? ''
                  : '; everything else is as if it were not there'}</span
              >
            </h2>
            <p class="small soft">{asRead.period_label}</p>
            <Tally tally={asRead.tally} />
            {#each asRead.readings as one (one.about)}
              <div class="reading">
                <span><b>{one.name}</b><span class="small soft">{one.against}</span></span>
                <span class="figure">{one.shown}</span>
                <span class="small soft right"
                  >{#if one.state}<StateChip
                      reading={{ state: one.state, status: 'graded', reason: '', partial: null }}
                    />{/if}{one.all_rows ? ` all rows read ${one.all_rows}` : ''}</span
                >
              </div>
            {/each}
            <p class="small soft end">
              {#if asRead.gone}{asRead.gone}
                {asRead.gone === 1 ? 'reading of others is' : 'readings of others are'} not there.{/if}
              {#if asRead.of_notes}{asRead.notes} of {asRead.of_notes} notes are theirs.{/if}
              Search, suggestions, errors and files follow the same rule; an edition made of other rows is closed
              to them unless it is opened knowingly.
            </p>
          {:else}
            <h2>With their eyes</h2>
            <p class="sentence">
              {presses
                ? 'Press somebody on the left: the scorecard is read as they read it, beside what all rows say.'
                : 'An owner can read it here as any of them does.'}
            </p>
          {/if}
        </section>
      {/if}
    </div>
  {/if}
</main>

<style>
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    gap: 12px;
    align-items: start;
  }
  .apart {
    display: contents;
  }
  h2 .small {
    font-weight: 400;
  }
  .left {
    display: grid;
    gap: 12px;
  }
  section {
    padding: 12px 14px 14px;
  }
  .told {
    font-size: 16.5px;
    line-height: 1.95;
  }
  .row {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1.2fr);
    gap: 12px;
    align-items: center;
    width: 100%;
    padding: 8px 0;
    border-bottom: 1px solid var(--rule);
    text-align: left;
    overflow-wrap: anywhere;
  }
  button.row {
    cursor: pointer;
  }
  button.row:hover b {
    color: var(--accent);
  }
  .row.on {
    margin: 0 -14px;
    padding: 8px 14px 8px 11px;
    width: calc(100% + 28px);
    border-left: 3px solid var(--accent);
    background: var(--accent-tint);
  }
  .row b,
  .reading b {
    display: block;
  }
  .right {
    text-align: right;
  }
  .reading {
    display: grid;
    grid-template-columns: minmax(0, 1.5fr) auto minmax(0, 1fr);
    gap: 14px;
    align-items: center;
    padding: 8px 0;
    border-bottom: 1px solid var(--rule);
    overflow-wrap: anywhere;
  }
  .reading .figure {
    font-size: 20px;
  }
  .end {
    margin-top: 10px;
  }
  @media (max-width: 900px) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
