<script lang="ts">
  /** A text or a picture on the bench. */
  import { api, got, words, type Kpi, type PictureBody, type Schemas, type Text } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import FigureArea from '../../parts/FigureArea.svelte'
  import Slot from '../../parts/Slot.svelte'
  import { changeWords } from './compose'
  import { isText } from '../../parts/page/layout'
  import type { Session } from './session.svelte'

  interface Props {
    session: Session
    item: Text | PictureBody
    drawn: Schemas['TextPicture'] | undefined
    kpis: Kpi[]
    copy: () => void
    remove: () => void
  }
  let { session, item, drawn, kpis, copy, remove }: Props = $props()
  let area = $state<HTMLTextAreaElement | null>(null)
  let failed = $state('')
  let taking = $state(false)

  const PARTS: [string, string][] = [
    ['', 'the value, with its sign'],
    [': gap', 'how far it is from its mark'],
    [': mark', 'the mark'],
    [': state', 'the state, in a word'],
    [': reached', 'how much of its mark is reached'],
    [': period', 'the period'],
  ]
  let part = $state('')

  /** Put a figure where the caret is. */
  function put(handle: string) {
    if (!area || !isText(item)) return
    const at = area.selectionStart
    const figure = `{${handle}${part}}`
    const text = item.text.slice(0, at) + figure + item.text.slice(area.selectionEnd)
    changeWords<Text>(session, item.id, { text })
    requestAnimationFrame(() => {
      area?.focus()
      area?.setSelectionRange(at + figure.length, at + figure.length)
    })
  }
  async function take(file: File | undefined) {
    if (!file) return
    failed = ''
    taking = true
    try {
      const body = new FormData()
      body.append('file', file)
      const kept = await got(
        api.POST('/api/images', {
          body: { file: '' },
          bodySerializer: () => body,
        }),
      )
      changeWords<PictureBody>(session, item.id, { image: kept.id })
    } catch (error) {
      failed = words(error)
    }
    taking = false
  }
</script>

<div class="bench">
  {#if isText(item) && item.lists}
    <div class="side">
      <p class="sentence">Lists the notes of this page by the state of their readings, the worst first.</p>
      <p><button class="act quiet" onclick={remove}>Delete</button></p>
    </div>
  {:else if isText(item)}
    <label class="write">
      <span class="small soft"
        >Headings begin with #, lists with - or 1., **bold**, *italics*, [link](https://…). A figure stands in
        braces.</span
      >
      <FigureArea
        label="Text"
        most={20000}
        value={item.text}
        write={(text) => changeWords<Text>(session, item.id, { text })}
        bind:area
      />
    </label>
    <div class="side">
      <p class="sentence">
        Put in <Slot text={PARTS.find(([key]) => key === part)![1]} label="Part" width={240}>
          {#snippet children(close)}
            <Choices
              choices={PARTS.map(([key, name]) => ({ key, name }))}
              chosen={part}
              choose={(key) => {
                part = key
                close()
              }}
            />
          {/snippet}
        </Slot> of <Slot text="a KPI" label="KPI" width={260}>
          {#snippet children(close)}
            <Choices
              choices={kpis.map((kpi) => ({
                key: kpi.body.handle,
                name: kpi.body.name,
                note: `{${kpi.body.handle}}`,
              }))}
              choose={(handle) => {
                close()
                put(handle)
              }}
            />
          {/snippet}
        </Slot>
      </p>
      {#each drawn?.problems ?? [] as problem (problem)}<p class="wrong small" role="alert">
          {problem}
        </p>{/each}
      <p>
        <button class="act" onclick={copy}>Copy</button>
        <button class="act quiet" onclick={remove}>Delete</button>
      </p>
    </div>
  {:else}
    <div class="side">
      <label class="act main take"
        >{taking ? 'Taking it in…' : item.image ? 'Take another picture' : 'Take a picture'}
        <input
          class="sr-only"
          type="file"
          aria-label="Picture file"
          accept="image/png,image/jpeg,image/svg+xml"
          onchange={(event) => take(event.currentTarget.files?.[0])}
        /></label
      >
      <p class="small soft">PNG, JPEG or SVG, at most 3 MB.</p>
      {#if failed}<p class="wrong small" role="alert">{failed}</p>{/if}
      <p>
        <button class="act" onclick={copy}>Copy</button>
        <button class="act quiet" onclick={remove}>Delete</button>
      </p>
    </div>
    <div class="side wide">
      <label class="small"
        >What it shows, for who cannot see it
        <input
          class="type-in"
          aria-label="What it shows"
          maxlength="400"
          value={item.alt}
          onchange={(event) =>
            changeWords<PictureBody>(session, item.id, { alt: event.currentTarget.value.trim() })}
        /></label
      >
      <p class="sentence">
        Seen <Slot text={item.fit === 'fill' ? 'filling its sheet' : 'whole'} label="Fit">
          {#snippet children(close)}
            <Choices
              choices={[
                { key: 'whole', name: 'whole' },
                { key: 'fill', name: 'filling its sheet', note: 'what does not fit is left out' },
              ]}
              chosen={item.fit}
              choose={(fit) => {
                changeWords<PictureBody>(session, item.id, { fit: fit as 'whole' })
                close()
              }}
            />
          {/snippet}
        </Slot>
      </p>
    </div>
  {/if}
</div>

<style>
  .bench {
    display: flex;
    flex-wrap: wrap;
    gap: 12px 24px;
    padding: 12px 20px;
    height: 100%;
    overflow: auto;
  }
  .write {
    flex: 1 1 420px;
    display: flex;
    flex-direction: column;
    gap: 4px;
  }
  .side {
    flex: 0 1 320px;
    display: grid;
    gap: 10px;
    align-content: start;
  }
  .wide {
    flex-basis: 420px;
  }
  .wide .type-in {
    width: 100%;
  }
  .take {
    width: max-content;
    cursor: pointer;
  }
  .take:focus-within {
    outline: 2px solid var(--accent);
    outline-offset: 2px;
  }
</style>
