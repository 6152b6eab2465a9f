<script lang="ts">
  /** The line above a section: its title and words, or on the bench what changes it. */
  import type { Kpi, Section } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import {
    changeSection,
    copySection,
    moveSection,
    placeSection,
    removeSection,
    setColumns,
    tidyUp,
  } from './compose'
  import type { Session } from './session.svelte'

  interface Props {
    session: Session
    section: Section
    words: string
    bench: boolean
    kpis: Kpi[]
    add: (kpi: string) => void
    /** Whether its sheets are put away, and how to turn that. */
    folded: boolean
    fold: () => void
    write: (kind: 'text' | 'picture' | 'notes') => void
  }
  let { session, section, words, bench, kpis, add, folded, fold, write }: Props = $props()
  const sections = $derived(session.body?.sections ?? [])
  const at = $derived(sections.findIndex((held) => held.id === section.id))
  let target: HTMLElement | null = null
  function take(event: PointerEvent) {
    if (event.button !== 0) return
    event.preventDefault()
    ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  }
  function drag(event: PointerEvent) {
    if (!(event.currentTarget as HTMLElement).hasPointerCapture(event.pointerId)) return
    const heads = [...document.querySelectorAll<HTMLElement>('[data-section]')]
    target =
      heads.filter((head) => head.getBoundingClientRect().top <= event.clientY).at(-1) ?? heads[0] ?? null
    for (const head of heads) head.classList.toggle('lands', head === target)
  }
  function put() {
    target?.classList.remove('lands')
    if (target?.dataset.section) placeSection(session, section.id, target.dataset.section)
    target = null
  }
</script>

<div class="section" data-section={section.id}>
  {#if bench}
    <h2 class="sr-only">{section.title}</h2>
    <span
      class="grip"
      role="presentation"
      title="Drag to another section’s place"
      onpointerdown={take}
      onpointermove={drag}
      onpointerup={put}
      onpointercancel={put}
    >
      <svg viewBox="0 0 12 6" width="14" height="7" aria-hidden="true"
        ><path d="M0 1H12M0 5H12" stroke="currentColor" stroke-width="1.4" /></svg
      >
    </span>
    <input
      class="name"
      aria-label="Section title"
      value={section.title}
      maxlength="120"
      size={Math.max(8, (section.title ?? '').length + 1)}
      onchange={(event) => {
        const title = event.currentTarget.value.trim()
        changeSection(session, section.id, 'rename a section', (held) => (held.title = title))
      }}
    />
    <hr />
    <Slot text="Add an instrument" label="Choose its KPI">
      {#snippet children(done)}
        {#if kpis.length}
          <p class="small soft pad">Show a KPI …</p>
          <Choices
            choices={kpis.map((kpi) => ({ key: kpi.id, name: kpi.body.name, note: kpi.body.owner }))}
            choose={(kpi) => {
              done()
              add(kpi)
            }}
          />
        {:else}
          <p class="small pad">There is no KPI yet. <a href="#/kpis">Write one</a> first.</p>
        {/if}
      {/snippet}
    </Slot>
    <button class="act quiet" onclick={() => write('text')}>Add a text</button>
    <button class="act quiet" onclick={() => write('picture')}>Add a picture</button>
    <button class="act quiet" onclick={() => write('notes')}>Add the notes</button>
    <button
      class="act quiet"
      disabled={at === 0}
      aria-label="Move section up"
      onclick={() => moveSection(session, section.id, -1)}>↑</button
    >
    <button
      class="act quiet"
      disabled={at === sections.length - 1}
      aria-label="Move section down"
      onclick={() => moveSection(session, section.id, 1)}>↓</button
    >
    <Slot text="Section" label="This section" width={250}>
      {#snippet children(done)}
        <Choices
          choices={[
            { key: '0', name: 'free in twelve columns' },
            { key: '1', name: 'one column' },
            { key: '2', name: 'two columns' },
            { key: '3', name: 'three columns' },
            { key: '4', name: 'four columns' },
          ]}
          chosen={String(section.columns)}
          choose={(key) => {
            setColumns(session, section.id, Number(key))
            done()
          }}
        />
        <p class="pad more">
          <button
            class="act quiet"
            onclick={() => {
              tidyUp(session, section.id)
              done()
            }}>Tidy up</button
          >
          <button
            class="act quiet"
            onclick={() => {
              copySection(session, section.id)
              done()
            }}>Copy</button
          >
          <button
            class="act quiet"
            aria-pressed={section.folded}
            onclick={() => {
              changeSection(session, section.id, 'fold a section', (held) => (held.folded = !held.folded))
              done()
            }}>{section.folded ? 'Opens unfolded' : 'Opens folded'}</button
          >
        </p>
      {/snippet}
    </Slot>
    <button
      class="act quiet"
      aria-label="Delete section {section.title}"
      onclick={() =>
        removeSection(session, section.id, section.title ? `the section “${section.title}”` : 'a section')}
      >Delete</button
    >
  {:else}
    <h2>
      <button class="fold" aria-expanded={!folded} onclick={fold}
        ><span aria-hidden="true" class="sign">{folded ? '+' : '–'}</span>{section.title}</button
      >
    </h2>
    <hr />
    <span class="small soft">{words}</span>
  {/if}
</div>

<style>
  .section {
    display: flex;
    align-items: center;
    gap: 12px;
    margin: 14px 0 8px;
  }
  .section:global(.lands) {
    box-shadow: 0 -2px 0 var(--accent);
  }
  .grip {
    color: var(--accent);
    cursor: grab;
    touch-action: none;
    padding: 6px 4px;
  }
  .fold {
    cursor: pointer;
    text-align: left;
  }
  @media screen and (max-width: 760px) {
    .fold {
      min-height: 44px;
    }
  }
  .fold .sign {
    display: inline-block;
    width: 15px;
    color: var(--soft);
    font-weight: 450;
  }
  .fold:hover {
    color: var(--accent);
  }
  .more {
    display: flex;
    gap: 12px;
    margin-top: 6px;
    border-top: 1px solid var(--rule);
  }
  hr {
    flex: 1;
    border: none;
    border-top: 1px solid var(--rule);
  }
  .name {
    field-sizing: content;
    max-width: 60%;
    font-size: 15px;
    font-weight: 650;
    background: transparent;
    border: none;
    border-bottom: 2px solid transparent;
    padding: 0;
  }
  .name:hover,
  .name:focus {
    border-bottom-color: var(--accent);
    outline: none;
  }
  .pad {
    padding: 4px 8px;
  }
  @media (max-width: 600px) {
    .section {
      flex-wrap: wrap;
    }
    hr {
      flex-basis: 40px;
    }
  }
</style>
