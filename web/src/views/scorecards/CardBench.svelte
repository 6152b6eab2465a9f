<script lang="ts">
  /** The scorecard itself on the bench, in sentences: what it asks a word for, its folder, what is printed. */
  import type { CardPicture, Schemas } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import { toggled } from '../../parts/toggled'
  import type { Session } from './session.svelte'

  let { session, card }: { session: Session; card: CardPicture } = $props()
  const body = $derived(session.body!)
  const asks = $derived(body.asks)
  const readings = $derived.by(() => {
    const found: Record<string, string> = {}
    for (const sheet of card.instruments)
      for (const reading of sheet.readings) {
        const key = reading.about.slice(0, reading.about.lastIndexOf('|'))
        if (key && reading.role !== 'period' && reading.role !== 'rest')
          found[key] ??= reading.member
            ? `${reading.member} · ${sheet.kpi_name}`
            : reading.label || sheet.title
      }
    for (const key of asks.readings) found[key] ??= membersIn(key.split('|')[1] ?? '') || key // of another scope
    return Object.entries(found).map(([key, name]) => ({ key, name }))
  })
  /** As the server writes them: `route=Night freight;vessel=Marram`, signs within a name as %2C. */
  const membersIn = (narrow: string) =>
    (narrow.match(/(?<=[=,])[^;,]+/g) ?? []).join(', ').replace(/%[0-7][0-9A-F]/g, decodeURIComponent)
  const change = (make: (asks: Schemas['AsksBody']) => void) =>
    session.change('change what a word is asked for', (draft) => make(draft.asks))
  const when = $derived(
    [asks.worst ? 'the worst state' : '', asks.fell ? 'any fall' : '', asks.signals ? 'any signal' : '']
      .filter(Boolean)
      .join(' and '),
  )
</script>

<div class="sentences">
  <p class="sentence">
    Asks for a word on <Slot text={when || 'no state'} label="Asked for" width={260}>
      {#snippet children()}
        <Choices
          choices={[
            { key: 'worst', name: 'the worst state', note: 'of its yardstick' },
            { key: 'fell', name: 'any fall', note: 'a worse state than the period before' },
            { key: 'signals', name: 'any signal', note: 'what usual variation does not explain' },
          ]}
          many={[
            ...(asks.worst ? ['worst'] : []),
            ...(asks.fell ? ['fell'] : []),
            ...(asks.signals ? ['signals'] : []),
          ]}
          choose={(key) =>
            change((draft) => {
              if (key === 'worst') draft.worst = !draft.worst
              else if (key === 'signals') draft.signals = !draft.signals
              else draft.fell = !draft.fell
            })}
        />
      {/snippet}
    </Slot> and <Slot
      text={asks.readings.length
        ? `${asks.readings.length} chosen ${asks.readings.length === 1 ? 'reading' : 'readings'}`
        : 'no chosen reading'}
      label="Chosen readings"
      width={330}
    >
      {#snippet children()}
        <Choices
          choices={readings}
          many={asks.readings}
          choose={(key) => change((draft) => (draft.readings = toggled(draft.readings, key)))}
        />
      {/snippet}
    </Slot>. On paper its notes <Slot
      text={body.notes_at_end ? 'stand at the end' : 'are not listed'}
      label="Notes on paper"
    >
      {#snippet children(close)}
        <Choices
          choices={[
            { key: 'yes', name: 'stand at the end', note: 'unless a sheet lists them' },
            { key: 'no', name: 'are not listed' },
          ]}
          chosen={body.notes_at_end ? 'yes' : 'no'}
          choose={(key) => {
            session.change('print the notes', (draft) => (draft.notes_at_end = key === 'yes'))
            close()
          }}
        />
      {/snippet}
    </Slot>. Kept in <Slot text={body.folder || 'no folder'} label="Folder">
      {#snippet children(close)}
        <label class="small soft folder"
          >Folder
          <input
            class="type-in"
            maxlength="120"
            value={body.folder}
            onchange={(event) => {
              const folder = event.currentTarget.value.trim()
              session.change('move to a folder', (draft) => (draft.folder = folder))
              close()
            }}
          /></label
        >
      {/snippet}
    </Slot>, owned by <Slot text={body.owner || 'nobody'} label="Owner">
      {#snippet children(close)}
        <label class="small soft folder"
          >Owner
          <input
            class="type-in"
            maxlength="120"
            value={body.owner}
            onchange={(event) => {
              const owner = event.currentTarget.value.trim()
              session.change('name its owner', (draft) => (draft.owner = owner))
              close()
            }}
          /></label
        >
      {/snippet}
    </Slot>.
  </p>
  <p class="small soft">
    Choose an instrument to change it, or add one to a section. Drag by the two lines on its top, size it at
    the corner; with the keyboard, Tab to the two lines and use the arrows.
  </p>
</div>

<style>
  .sentences {
    padding: 10px 20px 14px;
  }
  .sentences .sentence {
    margin-bottom: 6px;
  }
  .folder {
    display: block;
    padding: 4px 6px;
  }
</style>
