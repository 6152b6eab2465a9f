<script lang="ts">
  /** Every face, drawn with what the instrument reads; pressed, it is drawn so. */
  import type { Instrument, Schemas } from '../../api/client'
  import Face from '../../faces/Face.svelte'
  import { faces as table } from '../../faces/names.svelte'

  interface Props {
    instrument: Instrument
    /** It, as every face would draw it. */
    offers: Schemas['FaceOffer'][]
    /** What the last change of the face changed besides. */
    says: string
    undo: () => void
    choose: (face: Instrument['face']) => void
  }
  let { instrument, offers, says, undo, choose }: Props = $props()
</script>

<div class="line">
  <h2 class="minor soft">Face, drawn with this reading</h2>
  <span class="small soft">{table().length}</span>
</div>
{#if says}<p class="small" role="status">
    {says}
    <button class="act quiet" onclick={undo}>Take it back</button>
  </p>{/if}
<div class="faces" role="group" aria-label="Faces">
  {#each table() as face (face.key)}
    {@const drawn = offers.find((known) => known.instrument.face === face.key)?.picture}
    <button
      class:on={instrument.face === face.key}
      aria-pressed={instrument.face === face.key}
      aria-label={face.name.toLowerCase()}
      onclick={() => choose(face.key)}
    >
      <span class="drawing" aria-hidden="true">
        {#if drawn?.readings.length && (face.key !== 'quadrant' || drawn.quadrant)}
          <Face face={face.key} picture={drawn} look={instrument.look} mini />
        {:else if face.key === 'quadrant' && drawn && !drawn.waiting}
          <span class="soft needs">needs another KPI</span>
        {/if}
      </span>
      <span class="name">{face.name.toLowerCase()}</span>
    </button>
  {/each}
</div>

<style>
  .line {
    display: flex;
    justify-content: space-between;
    align-items: baseline;
    gap: 8px;
  }
  h2 {
    font-size: 12.5px;
  }
  .faces {
    display: flex;
    gap: 6px;
    margin-top: 5px;
    padding: 2px 2px 6px;
    overflow-x: auto;
    scrollbar-width: thin;
  }
  .faces button {
    flex: none;
    width: 66px;
    text-align: center;
    cursor: pointer;
  }
  .drawing {
    display: grid;
    align-content: center;
    gap: 2px;
    height: 50px;
    padding: 4px;
    overflow: hidden;
    border: 1px solid var(--rule);
    border-radius: 4px;
  }
  .faces button:hover .drawing {
    border-color: var(--accent);
  }
  .faces button.on .drawing {
    border: 2px solid var(--accent);
    background: var(--accent-tint);
    padding: 3px;
  }
  .needs {
    font-size: 11px;
    line-height: 1.2;
  }
  .name {
    font-size: 12px;
    color: var(--soft);
    white-space: nowrap;
  }
  .faces .on .name {
    color: var(--ink);
    font-weight: 640;
  }
</style>
