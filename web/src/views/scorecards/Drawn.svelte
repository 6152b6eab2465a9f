<script lang="ts">
  /** How the chosen face draws: a sentence for each face, and what it shows besides. */
  import type { CardPicture, Instrument } from '../../api/client'
  import type { Look } from '../../faces/looks'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import { RAMP_NAMES } from './ramps'
  import DrawnLedger from './DrawnLedger.svelte'
  import DrawnQuadrant from './DrawnQuadrant.svelte'

  interface Props {
    instrument: Instrument
    segments: CardPicture['segments']
    change: (says: string, make: (instrument: Instrument) => void) => void
  }
  let { instrument, segments, change }: Props = $props()
  type Part = Instrument['hide'][number]
  const look = $derived(instrument.look)
  const face = $derived(instrument.face)
  const draw = (make: (look: Look) => void) => change('change the drawing', (draft) => make(draft.look))
  const PARTS: [Part, string][] = [
    ['label', 'title'],
    ['value', 'value'],
    ['mark', 'words on the mark'],
    ['state', 'state'],
  ]
  const SEGMENTS = [4, 5, 6, 8, 10, 12, 16, 20, 24, 30, 40]
  const NAMED = { none: 'not named', names: 'named', shares: 'named with their shares' }
  const PAINTS = {
    value: 'up to the value',
    state: 'by the state of each place',
    ramp: 'by a ramp along the axis',
  }
  const FULL = { axis: 'the end of the axis', mark: 'each one’s own mark' }
</script>

{#snippet pick(
  label: string,
  text: string,
  chosen: string,
  choices: { key: string; name: string; note?: string }[],
  choose: (key: string) => void,
)}
  <Slot {text} {label}>
    {#snippet children(close)}
      <Choices
        {choices}
        {chosen}
        choose={(key) => {
          choose(key)
          close()
        }}
      />
    {/snippet}
  </Slot>
{/snippet}

{#snippet painted(which: 'dial' | 'ring')}
  painted {@render pick(
    'Paint of the segments',
    PAINTS[look[which].paint],
    look[which].paint,
    Object.entries(PAINTS).map(([key, name]) => ({ key, name })),
    (key) => draw((draft) => (draft[which].paint = key as Look['dial']['paint'])),
  )}{#if look[which].paint === 'ramp'}, in {@render pick(
      'Colours of the segments',
      `${look[which].colours}${look[which].turned ? ', turned round' : ''}`,
      `${look[which].colours}${look[which].turned ? ':turned' : ''}`,
      Object.keys(RAMP_NAMES).flatMap((key) => [
        { key, name: key, note: RAMP_NAMES[key] },
        { key: `${key}:turned`, name: `${key}, turned round` },
      ]),
      (key) =>
        draw((draft) => {
          draft[which].colours = key.split(':')[0] as Look['dial']['colours']
          draft[which].turned = key.endsWith(':turned')
        }),
    )}{/if}
{/snippet}

{#snippet filled(which: 'bar' | 'column' | 'ring')}
  a full track is {@render pick(
    'Full track',
    FULL[look[which].full],
    look[which].full,
    Object.entries(FULL).map(([key, name]) => ({ key, name })),
    (key) => draw((draft) => (draft[which].full = key as Look['bar']['full'])),
  )}
{/snippet}

<div class="drawn">
  {#if face === 'dial'}
    <p class="soft">
      Sweeps {@render pick(
        'Sweep',
        `${look.dial.sweep}°`,
        String(look.dial.sweep),
        [120, 180, 210, 240, 270, 320].map((degrees) => ({ key: String(degrees), name: `${degrees}°` })),
        (key) => draw((draft) => (draft.dial.sweep = Number(key))),
      )} over {@render pick(
        'Ring',
        look.dial.ring === 'bands' ? 'its bands' : `a ring of ${look.dial.segments} segments`,
        look.dial.ring === 'bands' ? 'bands' : String(look.dial.segments),
        [
          { key: 'bands', name: 'its bands' },
          ...SEGMENTS.map((count) => ({ key: String(count), name: `a ring of ${count} segments` })),
        ],
        (key) =>
          draw((draft) => {
            draft.dial.ring = key === 'bands' ? 'bands' : 'segments'
            if (key !== 'bands') draft.dial.segments = Number(key)
          }),
      )}{#if look.dial.ring === 'segments'}, {@render painted('dial')},{/if} with {@render pick(
        'Hand',
        look.dial.hand === 'fill' ? 'a fill' : `a ${look.dial.needle} needle`,
        look.dial.hand === 'fill' ? 'fill' : look.dial.needle,
        [
          { key: 'slim', name: 'a slim needle' },
          { key: 'bold', name: 'a bold needle' },
          { key: 'fill', name: 'a fill' },
        ],
        (key) =>
          draw((draft) => {
            draft.dial.hand = key === 'fill' ? 'fill' : 'needle'
            if (key !== 'fill') draft.dial.needle = key as Look['dial']['needle']
          }),
      )}, its bands {@render pick(
        'Names of bands',
        NAMED[look.dial.names],
        look.dial.names,
        Object.entries(NAMED).map(([key, name]) => ({ key, name })),
        (key) => draw((draft) => (draft.dial.names = key as Look['dial']['names'])),
      )}.
    </p>
  {:else if face === 'bullet'}
    <p class="soft">
      The bullet {@render pick(
        'Bullet',
        look.bullet.standing ? 'stands' : 'lies',
        String(look.bullet.standing),
        [
          { key: 'false', name: 'lies' },
          { key: 'true', name: 'stands' },
        ],
        (key) => draw((draft) => (draft.bullet.standing = key === 'true')),
      )}.
    </p>
  {:else if face === 'bar'}
    <p class="soft">
      Progress as {@render pick(
        'Ends',
        { round: 'a bar with round ends', square: 'a bar with square ends', dot: 'a dot on a track' }[
          look.bar.ends
        ],
        look.bar.ends,
        [
          { key: 'round', name: 'a bar with round ends' },
          { key: 'square', name: 'a bar with square ends' },
          { key: 'dot', name: 'a dot on a track' },
        ],
        (key) => draw((draft) => (draft.bar.ends = key as Look['bar']['ends'])),
      )}; {@render filled('bar')}.
    </p>
  {:else if face === 'column'}
    <p class="soft">In this column {@render filled('column')}.</p>
  {:else if face === 'ring'}
    <p class="soft">
      The ring is {@render pick(
        'Segments',
        look.ring.segments < 2 ? 'whole' : `of ${look.ring.segments} segments`,
        String(look.ring.segments),
        [1, ...SEGMENTS].map((count) => ({
          key: String(count),
          name: count < 2 ? 'whole' : `of ${count} segments`,
        })),
        (key) => draw((draft) => (draft.ring.segments = Number(key))),
      )}{#if look.ring.segments > 1}, {@render painted('ring')}{/if}; {@render filled('ring')}.
    </p>
  {:else if face === 'pips'}
    <p class="soft">
      A checklist shows its own steps; any other KPI {@render pick(
        'Steps',
        `${look.pips.steps} steps`,
        String(look.pips.steps),
        [3, 4, 5, 6, 8, 10, 12].map((count) => ({ key: String(count), name: `${count} steps` })),
        (key) => draw((draft) => (draft.pips.steps = Number(key))),
      )} of its axis.
    </p>
  {:else if face === 'lamp'}
    <p class="soft">
      Shows {@render pick(
        'Lights',
        look.lamp.lights === 'all' ? 'every light, its own lit' : 'one light',
        look.lamp.lights,
        [
          { key: 'all', name: 'every light, its own lit' },
          { key: 'one', name: 'one light' },
        ],
        (key) => draw((draft) => (draft.lamp.lights = key as Look['lamp']['lights'])),
      )}.
    </p>
  {:else if face === 'profile'}
    <p class="soft">
      Drawn as {@render pick(
        'Form',
        look.profile.form === 'outline' ? 'an outline' : 'wedges',
        look.profile.form,
        [
          { key: 'outline', name: 'an outline' },
          { key: 'wedges', name: 'wedges' },
        ],
        (key) => draw((draft) => (draft.profile.form = key as Look['profile']['form'])),
      )}.
    </p>
  {:else if face === 'history' || face === 'strip' || face === 'figure'}
    <p class="soft">
      {#if face === 'history'}Drawn as {@render pick(
          'Form',
          look.history.form === 'line' ? 'a line' : 'columns',
          look.history.form,
          [
            { key: 'line', name: 'a line' },
            { key: 'columns', name: 'columns' },
          ],
          (key) => draw((draft) => (draft.history.form = key as Look['history']['form'])),
        )} over{:else}Looks back over{/if} the last {@render pick(
        'Periods',
        `${look.history.periods} periods`,
        String(look.history.periods),
        [6, 12, 18, 24, 36, 53].map((count) => ({ key: String(count), name: `${count} periods` })),
        (key) => draw((draft) => (draft.history.periods = Number(key))),
      )}.
    </p>
  {:else if face === 'ledger'}
    <DrawnLedger {instrument} {segments} {draw} {pick} />
  {:else if face === 'quadrant'}
    <DrawnQuadrant {instrument} {draw} {pick} />
  {/if}
  <p class="soft">
    Hides <Slot
      text={instrument.hide?.length
        ? PARTS.filter(([part]) => instrument.hide.includes(part))
            .map(([, name]) => name)
            .join(', ')
        : 'nothing'}
      label="Hidden parts"
    >
      {#snippet children()}
        <Choices
          choices={PARTS.map(([key, name]) => ({ key, name }))}
          many={instrument.hide ?? []}
          choose={(part) =>
            change('show or hide a part', (draft) => {
              const held = draft.hide ?? []
              draft.hide = held.includes(part as Part)
                ? held.filter((other) => other !== part)
                : [...held, part as Part]
            })}
        />
      {/snippet}
    </Slot>; a legend {@render pick(
      'Legend',
      instrument.legend == null ? 'where it is needed' : instrument.legend ? 'always' : 'never',
      String(instrument.legend ?? 'auto'),
      [
        { key: 'auto', name: 'where it is needed' },
        { key: 'true', name: 'always' },
        { key: 'false', name: 'never' },
      ],
      (key) =>
        change('change the legend', (draft) => (draft.legend = key === 'auto' ? null : key === 'true')),
    )}; what is usual, and signals {@render pick(
      'Signals',
      instrument.signals === false ? 'hidden' : 'shown',
      String(instrument.signals !== false),
      [
        { key: 'true', name: 'shown' },
        { key: 'false', name: 'hidden' },
      ],
      (key) => change('show or hide signals', (draft) => (draft.signals = key === 'true')),
    )}.
  </p>
</div>
