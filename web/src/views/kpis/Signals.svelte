<script lang="ts">
  /** One reading: signal or noise, where it is going, what moved it, and whether its target is fair. */
  import { push, router } from 'svelte-spa-router'
  import { api, got, newest, passes, words, type Schemas } from '../../api/client'
  import History from '../../faces/History.svelte'
  import Choices from '../../parts/Choices.svelte'
  import Sign from '../../parts/Sign.svelte'
  import Slot from '../../parts/Slot.svelte'
  import Ahead from './Ahead.svelte'
  import Stairs from './Stairs.svelte'

  let { params }: { params: { id: string } } = $props()
  type Ask = Record<string, string>
  const asked = $derived(Object.fromEntries(new URLSearchParams(router.querystring ?? '')) as Ask)
  let found = $state.raw<Schemas['SignalsPicture'] | null>(null)
  let failed = $state('')

  const read = newest(async () => {
    try {
      const path = { key: decodeURIComponent(params.id) }
      found = await got(api.GET('/api/kpis/{key}/signals', { params: { path, query: asked } }))
      failed = ''
    } catch (error) {
      failed = words(error)
      return passes(error)
    }
  })
  $effect(() => {
    void asked
    void params.id
    read()
  })
  const change = (edit: Ask) => {
    const next = Object.entries({ ...asked, ...edit }).filter(([, value]) => value)
    push(`/kpis/${params.id}/signals?${new URLSearchParams(next)}`)
  }
  const GRAINS: Record<string, string> = {
    day: 'day by day',
    week: 'week by week',
    month: 'month by month',
    quarter: 'quarter by quarter',
    year: 'year by year',
  }
  const AGAINST: Record<string, string> = {
    before: 'the period before',
    'year ago': 'a year before',
    target: 'its target',
  }
  const whose = $derived(asked['member'] || 'all together')
  const members = $derived([
    { key: '', name: 'all together' },
    ...(found?.segments ?? []).flatMap((segment) =>
      segment.members.map((member) => ({ key: `${segment.name}\t${member}`, name: member })),
    ),
  ])
  const eachLabel = $derived(found?.segments.find((one) => one.name === found?.each)?.label ?? '')
  const moved = $derived(found?.moved ?? null)
  const within = $derived((moved?.segments ?? []).filter((one) => one.key !== moved?.by && one.key !== '*'))
  const standing = (one: { ring: boolean; few: string }) => ({
    usual: one.ring ? { signal: 'a signal' } : null,
    few: one.few,
  })
  const atOf = (at: number, label: string, shown: string) => ({ at, label, shown })
</script>

{#snippet choice(
  label: string,
  text: string,
  chosen: string,
  choices: [string, string][],
  choose: (key: string) => void,
)}
  <Slot {text} {label} width={250}>
    {#snippet children(close)}
      <Choices
        choices={choices.map(([key, name]) => ({ key, name }))}
        {chosen}
        choose={(key) => {
          choose(key)
          close()
        }}
      />
    {/snippet}
  </Slot>
{/snippet}

<main class="page">
  <div class="top">
    <div>
      <h1>{found ? `${found.name}, ${found.period_label}` : 'Signals'}</h1>
      {#if found}
        <p class="sentence">
          Is it a signal? Read {@render choice(
            'Grain',
            GRAINS[found.grain] ?? found.grain,
            found.grain,
            found.grains.map((grain) => [grain, GRAINS[grain] ?? grain]),
            (grain) => change({ grain, period: '' }),
          )}, for <Slot text={whose} label="Whose" width={280}>
            {#snippet children(close)}
              <Choices
                choices={members}
                chosen={asked['member'] ? `${asked['segment']}\t${asked['member']}` : ''}
                choose={(key) => {
                  const [segment = '', member = ''] = key.split('\t')
                  change({ segment, member, each: '', by: '', then: '' })
                  close()
                }}
              />
            {/snippet}
          </Slot>, in {@render choice(
            'Period',
            found.period_label,
            found.period,
            found.periods.map((one) => [one.key, one.label] as [string, string]).reverse(),
            (period) => change({ period }),
          )}
        </p>
      {/if}
    </div>
    <a class="act" href="#/watches/new?kpi={params.id}{asked['segment'] ? `&by=${asked['segment']}` : ''}"
      >Watch</a
    >
    <a class="act" href="#/kpis/{params.id}">The KPI</a>
  </div>
  {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}
  {#if found}
    <div class="three">
      <section class="sheet each">
        <h2>
          Each {@render choice(
            'Segment',
            eachLabel.toLocaleLowerCase() || 'member',
            found.each,
            found.segments.map((one) => [one.name, one.label.toLocaleLowerCase()]),
            (each) => change({ each }),
          )}
        </h2>
        <div class="rows">
          {#each found.members as one (one.member)}
            <button
              class="row"
              class:on={asked['member'] === one.member}
              onclick={() => change({ segment: found!.each, member: one.member, by: '', then: '' })}
            >
              <b>{one.member}</b>
              <b class="right">{one.shown}</b>
              <Sign state={one.state} size={14} of={standing(one)} />
              <span class="small soft words">{one.words}</span>
            </button>
          {:else}<p class="soft small">It is split by nothing.</p>{/each}
        </div>
        <p class="small soft key">
          A ring: its usual range does not explain it. Hollow: too few rows to tell the state.
        </p>
      </section>

      <div class="middle">
        <section class="sheet" aria-label="What is usual">
          <p class="verdict">
            <b>{found.verdict}{found.verdict.endsWith('.') ? '' : '.'}</b>
            <span class="soft">{found.expect}.{found.few ? ` ${found.few}.` : ''}</span>
          </p>
          {#if found.history}
            <History
              picture={found.history}
              height={168}
              chosen={found.period}
              choose={(period) => change({ period })}
            />
          {/if}
          {#each found.named_dates as one (one.name)}<p class="small soft">{one.name}: {one.shown}</p>{/each}
        </section>
        {#if moved}
          <section class="sheet" aria-label="What moved it">
            <p class="told">
              <b>What moved it</b> from {@render choice(
                'Against',
                AGAINST[asked['against'] ?? 'before'] ?? '',
                asked['against'] ?? 'before',
                Object.entries(AGAINST) as [string, string][],
                (against) => change({ against }),
              )}{#if moved.segments.length}, by {@render choice(
                  'By',
                  moved.by_label || 'nothing',
                  moved.by,
                  moved.segments.map((one) => [one.key, one.name] as [string, string]),
                  (by) => change({ by, then: '' }),
                )}{asked['by'] || moved.by === '*' ? '' : ', which tells most'}{/if}
              <span class="legend small soft">filled: took away · open: gave · hatched: other mix</span>
            </p>
            {#if moved.why_not}<p class="soft">{moved.why_not}</p>{:else}
              <Stairs
                steps={moved.steps}
                from={atOf(moved.from_at, moved.from_label, moved.from_shown)}
                to={atOf(moved.to_at, moved.to_label, moved.to_shown)}
              />
              {#if moved.within_steps.length}
                <p class="told">
                  Within <b>{moved.within}</b>, by {@render choice(
                    'Then by',
                    moved.segments.find((one) => one.key === moved!.within_by)?.name ?? '',
                    moved.within_by,
                    within.map((one) => [one.key, one.name] as [string, string]),
                    (then) => change({ by: moved!.by, then }),
                  )}
                </p>
                <Stairs steps={moved.within_steps} from={null} to={null} height={130} />
              {/if}
            {/if}
          </section>
        {/if}
      </div>

      <Ahead {found} />
    </div>
  {:else if !failed}<p class="soft">Working it out…</p>{/if}
</main>

<style>
  .three {
    display: grid;
    grid-template-columns: 290px minmax(0, 1fr) 320px;
    gap: 12px;
    align-items: start;
  }
  .middle {
    display: grid;
    gap: 12px;
  }
  .sheet {
    padding: 12px 14px;
  }
  h2 {
    margin: 0 0 6px;
    font-size: 15px;
  }
  .rows {
    max-height: 520px;
    overflow-y: auto;
  }
  .row {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto 22px;
    gap: 0 8px;
    width: 100%;
    padding: 8px 2px;
    text-align: left;
    align-items: center;
    border-bottom: 1px solid var(--rule);
    cursor: pointer;
  }
  .row:hover,
  .row.on {
    background: color-mix(in srgb, var(--accent) 7%, transparent);
  }
  .row > :global(.sign) {
    justify-self: center;
  }
  .words {
    grid-column: 1 / -1;
  }
  .key {
    margin: 10px 0 0;
  }
  .verdict,
  .told {
    margin: 0 0 8px;
  }
  .legend {
    float: right;
    font-weight: 620;
  }
  @media (max-width: 1000px) {
    .three {
      grid-template-columns: minmax(0, 1fr);
    }
    .middle {
      order: -1;
    }
  }
</style>
