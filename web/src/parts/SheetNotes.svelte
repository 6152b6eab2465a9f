<script lang="ts">
  /** On a sheet: that its readings have notes, which are read in full beside it, and that some need one. */
  import { getContext } from 'svelte'
  import type { Picture, Reading, Schemas } from '../api/client'
  import Note from './Note.svelte'
  import NoteSign from './NoteSign.svelte'
  import Slot from './Slot.svelte'

  interface Props {
    picture: Picture
    /** Only the signs, which cannot be pressed. */
    still?: boolean
    open: (reading: Reading) => void
  }
  let { picture, still = false, open }: Props = $props()
  const every = getContext<(() => Schemas['NotePicture'][]) | undefined>('notes')
  const paper = getContext('paper')
  const noted = $derived(picture.readings.filter((reading) => reading.word === 'noted'))
  const wanted = $derived(picture.readings.filter((reading) => reading.word === 'wanted'))
  const about = $derived(
    noted
      .map((reading) => ({ reading, note: every?.().find((note) => note.about === reading.about) }))
      .filter((one) => one.note),
  )
  const count = (n: number) => (n === 1 ? 'A note' : `${n} notes`)
</script>

{#if paper || still}
  {#if noted.length}<span class="signs"><NoteSign /><span class="sr-only">{count(noted.length)}</span></span
    >{/if}
{:else}
  {#if about.length}
    <span class="signs">
      <Slot text="" label="{count(about.length)} on this sheet" width={330}>
        {#snippet face()}<NoteSign />{#if about.length > 1}<span class="n">{about.length}</span
            >{/if}{/snippet}
        {#snippet children(close)}
          <div class="all">
            {#each about as { reading, note } (reading.key)}
              <article>
                <Note note={note!} />
                <button
                  class="act quiet"
                  onclick={() => {
                    close()
                    open(reading)
                  }}>Workings and note</button
                >
              </article>
            {/each}
          </div>
        {/snippet}
      </Slot>
    </span>
  {/if}
  {#if wanted.length}
    <button
      class="signs ask"
      title="{wanted.map((reading) => reading.label || picture.title).join(', ')}: a word is asked for"
      onclick={() => open(wanted[0]!)}
      ><NoteSign wanted />{#if wanted.length > 1}<span class="n">{wanted.length}</span>{/if}<span
        class="sr-only">Say why</span
      ></button
    >
  {/if}
{/if}

<style>
  .signs {
    display: inline-flex;
    align-items: center;
    gap: 2px;
    color: var(--accent);
    font-size: 12px;
    font-weight: 640;
  }
  .ask {
    cursor: pointer;
    min-width: 24px;
    min-height: 24px;
    justify-content: center;
  }
  @media screen and (max-width: 760px) {
    .ask {
      min-width: 44px;
      min-height: 44px;
    }
  }
  .all {
    display: grid;
    gap: 12px;
    max-height: 420px;
    overflow: auto;
    padding: 6px 8px;
  }
  article + article {
    padding-top: 10px;
    border-top: 1px solid var(--rule);
  }
</style>
