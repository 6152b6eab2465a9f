<script lang="ts">
  /** A note in full: what it is about, its words, who wrote it and when. */
  import type { Schemas } from '../api/client'
  import { when } from '../api/days'
  import Sign from './Sign.svelte'
  import Words from './Words.svelte'

  interface Props {
    note: Schemas['NotePicture']
    /** Whether it says what it is about. */
    headed?: boolean
    dated?: boolean
  }
  let { note, headed = true, dated = false }: Props = $props()
</script>

{#if headed}
  <p class="about">
    <b>{note.heading}</b>
    {#if note.state}<Sign state={note.state} />{/if}
    <span>{note.shown}</span>
    {#if dated}<span class="soft">{note.period_label}</span>{/if}
  </p>
{/if}
<div class="said"><Words blocks={note.blocks} /></div>
{#each note.problems as problem (problem)}<p class="wrong small">{problem}</p>{/each}
<p class="small soft by">
  {[note.saved_by, when(note.saved_at), note.again ? 'changed since it was written' : '']
    .filter(Boolean)
    .join(' · ')}{#if note.was}
    · <b class="was">written when it was {note.was}</b>{/if}
</p>

<style>
  .about {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 2px 7px;
    margin-bottom: 2px;
  }
  .said :global(p:last-child) {
    margin-bottom: 2px;
  }
  .was {
    color: var(--ink);
  }
</style>
