<script lang="ts">
  /** A watch as a sentence, every part of which can be pressed. */
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import { toggled } from '../../parts/toggled'
  import type { Body, Draft } from './draft.svelte'
  import Again from './Again.svelte'
  import Lasts from './Lasts.svelte'
  import Times from './Times.svelte'
  import Told from './Told.svelte'
  import { GRAINS, againWords, askedWords, lastsWords, needsMark, needsState, whenWords } from './words'

  let { draft }: { draft: Draft } = $props()
  const body = $derived(draft.body)
  const choices = $derived(draft.choices)
  const change = (edit: Partial<Body>) => draft.change(edit)
  const about = $derived(
    (body.kpi
      ? choices?.kpis.find((one) => one.key === body.kpi)?.name
      : choices?.scorecards.find((one) => one.key === body.scorecard)?.name) ?? '…',
  )
  const segment = $derived(choices?.segments.find((one) => one.key === body.by))
  const whose = $derived(
    !segment
      ? 'all together'
      : body.members?.length
        ? body.members.length < 3
          ? body.members.join(' and ')
          : `${body.members.length} of ${segment.members.length}: ${segment.name.toLocaleLowerCase()}`
        : `each ${segment.name.toLocaleLowerCase()}`,
  )
  const history = $derived(
    ['falls', 'reaches', 'leaves', 'worsens', 'improves', 'signal', 'above', 'below'].includes(
      body.asks ?? '',
    ),
  )
  const change_of_state = $derived(history && body.asks !== 'signal')
  function ask(key: string) {
    const worst = choices?.states[0]?.key ?? ''
    const best = choices?.states.at(-2)?.key ?? choices?.states.at(-1)?.key ?? ''
    change({
      asks: key as Body['asks'],
      state: needsState(key) ? body.state || (key === 'reaches' || key === 'leaves' ? best : worst) : '',
      mark: needsMark(key) ? body.mark || choices?.marks[0] || 'target' : null,
      side: '',
      ...(key === 'signal' ? { only_signals: false, back: 0 } : {}),
    })
  }
  const offered = $derived(
    (choices?.questions ?? []).map((one) => ({
      key: one.key,
      name: needsMark(one.key) ? `${one.name} mark` : needsState(one.key) ? `${one.name} a state` : one.name,
      note: one.key === 'signal' ? 'what usual variation does not explain' : '',
      off: needsState(one.key) && !choices?.states.length,
    })),
  )
</script>

<p class="sentence big">
  When <Slot text={about} label="What is asked about" width={300}>
    {#snippet children(close)}
      <Choices
        choices={[
          ...(choices?.kpis ?? []).map((one) => ({ key: `k:${one.key}`, name: one.name })),
          ...(choices?.scorecards ?? []).map((one) => ({
            key: `s:${one.key}`,
            name: `anything on ${one.name}`,
          })),
        ]}
        chosen={body.kpi ? `k:${body.kpi}` : `s:${body.scorecard}`}
        choose={(key) => {
          const [kind, id] = [key.slice(0, 1), key.slice(2)]
          change({
            kpi: kind === 'k' ? id : null,
            scorecard: kind === 's' ? id : null,
            by: null,
            members: [],
            state: '',
            mark: null,
            asks: 'signal',
          })
          close()
        }}
      />
    {/snippet}
  </Slot>{#if body.kpi && choices?.segments.length && body.asks !== 'late'}{' '}of <Slot
      text={whose}
      label="Whose"
      width={280}
    >
      {#snippet children(close)}
        <Choices
          choices={[
            { key: '', name: 'all together' },
            ...(choices?.segments ?? []).map((one) => ({
              key: one.key,
              name: `each ${one.name.toLocaleLowerCase()}`,
            })),
          ]}
          chosen={body.by ?? ''}
          choose={(key) => {
            change({ by: key || null, members: [] })
            if (!key) close()
          }}
        />
        {#if segment}
          <p class="small soft">Of these alone; none pressed means every one.</p>
          <Choices
            choices={segment.members.map((name) => ({ key: name, name }))}
            many={body.members ?? []}
            choose={(name) => change({ members: toggled(body.members ?? [], name) })}
          />
        {/if}
      {/snippet}
    </Slot>{/if}{#if history || body.asks === 'outlook' || body.asks === 'unmarked'}, read by <Slot
      text={GRAINS[body.grain ?? 'month'] ?? ''}
      label="Read by"
    >
      {#snippet children(close)}
        <Choices
          choices={(choices?.grains ?? []).map((key) => ({ key, name: GRAINS[key] ?? key }))}
          chosen={body.grain ?? 'month'}
          choose={(key) => {
            change({ grain: key as Body['grain'] })
            close()
          }}
        />
      {/snippet}
    </Slot>{/if}, <Slot text={askedWords(body, choices)} label="Question" width={290}>
    {#snippet children(close)}
      <Choices
        choices={offered}
        chosen={body.asks ?? 'signal'}
        choose={(key) => {
          ask(key)
          if (!needsState(key) && !needsMark(key) && key !== 'signal') close()
        }}
      />
      {#if needsState(body.asks ?? '')}
        <p class="small soft">Which state?</p>
        <Choices
          choices={(choices?.states ?? []).map((one) => ({ key: one.key, name: one.name }))}
          chosen={body.state}
          choose={(key) => {
            change({ state: key })
            close()
          }}
        />
      {:else if needsMark(body.asks ?? '')}
        <p class="small soft">Which mark?</p>
        <Choices
          choices={(choices?.marks.length ? choices.marks : ['target']).map((key) => ({ key, name: key }))}
          chosen={body.mark}
          choose={(key) => {
            change({ mark: key })
            close()
          }}
        />
      {:else if body.asks === 'signal'}
        <p class="small soft">Which way?</p>
        <Choices
          choices={[
            { key: '', name: 'either way' },
            { key: 'worse', name: 'for the worse' },
            { key: 'better', name: 'for the better' },
          ]}
          chosen={body.side ?? ''}
          choose={(key) => {
            change({ side: key as Body['side'] })
            close()
          }}
        />
      {/if}
    {/snippet}
  </Slot>{#if change_of_state}{' '}as <Slot
      text={body.only_signals ? 'a signal alone' : 'any change'}
      label="Which changes"
    >
      {#snippet children(close)}
        <Choices
          choices={[
            { key: '', name: 'any change', note: 'also what usual variation explains' },
            { key: 'yes', name: 'a signal alone', note: 'nothing that is within usual variation' },
          ]}
          chosen={body.only_signals ? 'yes' : ''}
          choose={(key) => {
            change({ only_signals: key === 'yes' })
            close()
          }}
        />
      {/snippet}
    </Slot>{/if} and <Slot text={lastsWords(body)} label="How long it has to last" width={300}>
    {#snippet children()}<Lasts {body} {change} {history} />{/snippet}
  </Slot>, tell <Told {draft} {change} />, <Slot text={whenWords(body)} label="When it is sent" width={320}>
    {#snippet children()}<Times {body} {change} />{/snippet}
  </Slot>.{#if history}{' '}It counts again after <Slot
      text={againWords(body, choices)}
      label="What has to be before it counts again"
      width={310}
    >
      {#snippet children()}<Again {draft} {change} />{/snippet}
    </Slot>.{/if}
</p>

<style>
  .big {
    font-size: 18px;
    line-height: 1.75;
    margin-bottom: 12px;
  }
</style>
