<script lang="ts">
  /** A scorecard that was just made from rows, and the one step back from it. */
  import { push } from 'svelte-spa-router'
  import { api, got, words } from '../../api/client'

  const KEPT = 'made-from-rows'
  let { id, version }: { id: string; version: number } = $props()
  let seen = $state(sessionStorage.getItem(KEPT))
  let failed = $state('')
  function leave() {
    sessionStorage.removeItem(KEPT)
    seen = null
  }
  async function back() {
    try {
      await got(api.POST('/api/from-rows/back', { body: { scorecard: id } }))
      leave()
      await push('/rows')
    } catch (error) {
      failed = words(error)
    }
  }
</script>

{#if seen === id && version === 1}
  <p class="aside-note" role="status">
    This page and its KPIs were made from rows.
    <button class="act" onclick={back}>Take all of it back</button>
    <button class="act quiet" onclick={leave}>It stays</button>
    {#if failed}<span class="wrong">{failed}</span>{/if}
  </p>
{/if}

<style>
  p {
    margin-bottom: 8px;
  }
</style>
