<script lang="ts">
  /** A yardstick in words, where it is used, and what a change to it would change there. */
  import { dequal } from 'dequal'
  import type { Schemas, Strip, Yardstick, YardstickBody } from '../../api/client'
  import { stateOf } from '../../api/states.svelte'
  import Sign from '../../parts/Sign.svelte'
  import Uses from '../../parts/Uses.svelte'
  import Impact from './Impact.svelte'

  interface Props {
    chosen: Yardstick
    strip: Strip | null
    uses: Schemas['KpiUse'][]
    /** The form it had when it was opened here, and the one that is being tried. */
    opened: YardstickBody | null
    tried: YardstickBody | null
    asCopy: () => void
  }
  let { chosen, strip, uses, opened, tried, asCopy }: Props = $props()
  const changed = $derived(!!opened && (!!tried || !dequal(opened, chosen.body)))
</script>

<h2 class="minor">In words</h2>
<ol class="words">
  {#each chosen.body.bands as band, i (i)}
    <li>
      <Sign state={band} /> <b>{stateOf(band)?.name}</b>
      <span class="soft small">{strip?.band_words[i]?.words ?? ''}</span>
    </li>
  {/each}
</ol>
<Uses {uses} />
{#if uses.length}
  <p class="small soft">A change here changes them all.</p>
  {#if changed && opened}
    <Impact id={chosen.id} before={opened} after={tried ?? chosen.body} />
    {#if !tried}
      <button class="act" onclick={asCopy}>Have this as a copy instead</button>
    {/if}
  {/if}
{/if}

<style>
  .words {
    margin: 6px 0 14px;
  }
  .words li {
    padding: 3px 0;
  }
  .words .small {
    display: block;
    margin-left: 22px;
  }
</style>
