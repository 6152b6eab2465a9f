<script lang="ts">
  /** New rows for a dataset: how they go in, the file, and a token with which a machine does the same. */
  import { api, got, words, type Dataset } from '../../api/client'
  import Take from './Take.svelte'

  interface Props {
    dataset: Dataset
    done: () => void
    clock: () => void
  }
  let { dataset, done, clock }: Props = $props()
  const WAYS = [
    {
      key: 'periods',
      name: 'Replace the days it covers',
      note: 'rows from its first to its last day give way',
    },
    { key: 'append', name: 'Add its rows', note: 'all rows so far stay' },
    { key: 'replace', name: 'Replace all rows', note: 'the file holds everything' },
  ] as const
  let how = $state<(typeof WAYS)[number]['key']>('periods')
  let decimal = $state<'' | 'point' | 'comma'>('')
  let token = $state('')
  let failed = $state('')

  async function make() {
    try {
      token = (await got(api.POST('/api/datasets/{key}/token', { params: { path: { key: dataset.id } } })))
        .token
    } catch (error) {
      failed = words(error)
    }
  }
  const command = $derived(
    `curl -H "Authorization: Bearer ${token}" -F file=@rows.csv "${location.origin}/api/datasets/${dataset.id}/rows?how=${how}"`,
  )
</script>

<section class="sheet pad">
  <h2 class="minor">Refresh from a file</h2>
  <div class="ways" role="radiogroup" aria-label="How the rows go in">
    {#each WAYS as way (way.key)}
      <label
        ><input type="radio" name="how" value={way.key} bind:group={how} />
        <span>{way.name} <span class="soft small">{way.note}</span></span></label
      >
    {/each}
  </div>
  <label class="small numbers"
    >Its numbers are written <select
      class="type-in"
      bind:value={decimal}
      aria-label="How its numbers are written"
    >
      <option value="">as the file shows</option>
      <option value="point">with a decimal point: 1,234.5</option>
      <option value="comma">with a decimal comma: 1.234,5</option>
    </select></label
  >
  <Take label="Choose the file" main aim={{ dataset, how, decimal }} {done} />
  <p class="small soft">It becomes a version of its own; you can return to this one.</p>
  <p class="small">Or by itself: <button class="act" onclick={clock}>Read it by the clock</button></p>
  <details class="small">
    <summary>Let a machine do it</summary>
    {#if token}
      <p>This token is shown once. It may put rows into this dataset and nothing else.</p>
      <textarea class="type-in" readonly rows="4" aria-label="Command">{command}</textarea>
    {:else}
      <p>
        A machine uploads with a token of this dataset.{#if dataset.has_token}
          It has one; a new one takes its place.{/if}
      </p>
      <button class="act" onclick={make}>Make a token</button>
    {/if}
    {#if failed}<p class="wrong" role="alert">{failed}</p>{/if}
  </details>
</section>

<style>
  .numbers select {
    width: auto;
  }
  .pad {
    padding: 12px 14px;
    display: grid;
    gap: 8px;
  }
  .ways {
    display: grid;
    gap: 4px;
  }
  .ways label {
    display: flex;
    gap: 8px;
    align-items: baseline;
    cursor: pointer;
  }
  .ways .soft {
    display: block;
  }
  summary {
    cursor: pointer;
    color: var(--accent);
    font-weight: 600;
  }
  textarea {
    font-family: ui-monospace, monospace;
    font-size: 11.5px;
  }
</style>
