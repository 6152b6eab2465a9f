<script lang="ts">
  /** Rules written by hand, turned into bands: what is wrong in them is told, and mended. */
  import { api, got, newest, words, type Schemas } from '../../api/client'
  import { stateOf } from '../../api/states.svelte'
  import Sign from '../../parts/Sign.svelte'

  interface Props {
    kpi: string
    use: (turned: Schemas['RulesOut']) => void
    close: () => void
  }
  let { kpi, use, close }: Props = $props()
  let text = $state('')
  let turned = $state<Schemas['RulesOut'] | null>(null)
  let failed = $state('')
  const KIND: Record<string, string> = {
    gap: 'Gap',
    overlap: 'Overlap',
    order: 'Order',
    unreachable: 'Never reached',
    scale: 'Percent or fraction',
    few: 'Bands',
  }
  const look = newest(async (written: string) => {
    try {
      turned = written.trim()
        ? await got(api.POST('/api/yardsticks/rules', { body: { text: written, kpi } }))
        : null
      failed = ''
    } catch (error) {
      failed = words(error)
    }
  })
</script>

<section class="sheet pad gap" aria-label="Rules">
  <div class="line">
    <h2 class="minor">Bands from rules</h2>
    <button class="act quiet" aria-label="Close the rules" onclick={close}>✕</button>
  </div>
  <div class="two">
    <div>
      <textarea
        class="type-in"
        rows="6"
        aria-label="Rules, one a line"
        placeholder={'>= 92 green\n85 to 92 amber\n< 85 red'}
        bind:value={text}
        oninput={() => look(text)}></textarea>
      <p class="small soft">
        One rule a line, in any order: “>= 85 and &lt; 92 amber”, “under 85: red”, “92 and above met”, “else
        short”.
      </p>
    </div>
    <div aria-live="polite">
      {#if failed}<p class="wrong">{failed}</p>{/if}
      {#if turned?.problem}<p class="note">{turned.problem}</p>
      {:else if turned}
        {#if turned.bands.length}
          <ol class="bands">
            {#each turned.bands as band, i (i)}
              <li>
                <Sign state={band} /> <b>{stateOf(band)?.name}</b> <span class="soft">{turned.words[i]}</span>
              </li>
            {/each}
          </ol>
        {/if}
        {#each turned.findings as finding (finding.message)}
          <p class="note small"><b>{KIND[finding.kind] ?? finding.kind}.</b> {finding.message}</p>
        {:else}
          <p class="small">No gap, no overlap, nothing in the wrong order.</p>
        {/each}
        {#if turned.bands.length}
          <button class="act main" onclick={() => turned && use(turned)}>Use these bands</button>
        {/if}
      {/if}
    </div>
  </div>
</section>

<style>
  .pad {
    padding: 12px 14px;
  }
  .line {
    display: flex;
    justify-content: space-between;
  }
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1.3fr);
    gap: 16px;
  }
  .two > div {
    display: grid;
    gap: 6px;
    align-content: start;
    justify-items: start;
  }
  textarea {
    font-family: ui-monospace, monospace;
  }
  .note {
    width: 100%;
  }
  @media (max-width: 900px) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
