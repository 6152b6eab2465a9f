<script lang="ts">
  /** The line above a section: its title and words, or on the bench what changes it. */
  import type { Kpi, Section } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import { changeSection, moveSection, removeSection } from './compose'
  import type { Session } from './session.svelte'

  interface Props {
    session: Session
    section: Section
    words: string
    bench: boolean
    kpis: Kpi[]
    add: (kpi: string) => void
    write: (kind: 'text' | 'picture') => void
  }
  let { session, section, words, bench, kpis, add, write }: Props = $props()
  const sections = $derived(session.body?.sections ?? [])
  const at = $derived(sections.findIndex((held) => held.id === section.id))
</script>

<div class="section" data-section={section.id}>
  {#if bench}
    <h2 class="sr-only">{section.title}</h2>
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
    <button
      class="act quiet"
      aria-label="Delete section {section.title}"
      onclick={() => removeSection(session, section.id)}>Delete</button
    >
  {:else}
    <h2>{section.title}</h2>
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
