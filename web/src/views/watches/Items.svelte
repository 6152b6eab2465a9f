<script lang="ts">
  /** What a message tells, item by item. */
  import type { Schemas } from '../../api/client'
  import Plate from './Plate.svelte'

  type Item = Schemas['Told']
  let { items, most = 6 }: { items: Item[]; most?: number } = $props()
  const KINDS: Record<string, string> = { restated: 'Restated', 'taken back': 'No longer so' }
  let all = $state(false)
</script>

{#each all ? items : items.slice(0, most) as item, n (n)}
  <div class="item">
    <p class="name">
      {#if item.before}<Plate state={item.before} /> →{/if}
      {#if item.state}<Plate state={item.state} />{/if}
      <a class="plain" href={item.link || undefined}
        ><b>{item.kind ? `${KINDS[item.kind]}: ` : ''}{item.who || item.kpi}</b></a
      >
    </p>
    <p>
      {item.shown ? `${item.shown} in ${item.period}` : item.period}{item.against ? `, ${item.against}` : ''}.
      {item.since ? `${item.since}.` : ''}
    </p>
    {#if item.why}<p class="small soft">{item.signal ? 'A signal: ' : ''}{item.why}.</p>{/if}
    {#if item.note}<p class="small note-said">{item.note}</p>{/if}
  </div>
{/each}
{#if items.length > most}
  <button class="act quiet" onclick={() => (all = !all)}
    >{all ? 'Fewer' : `${items.length - most} more`}</button
  >
{/if}

<style>
  .item {
    padding: 2px 0;
  }
  a.plain {
    display: inline-flex;
    align-items: center;
    min-height: 24px;
  }
  .name {
    display: flex;
    align-items: center;
    gap: 4px;
    flex-wrap: wrap;
  }
  .note-said {
    border-left: 3px solid var(--rule);
    padding-left: 8px;
  }
  @media (max-width: 600px) {
    a.plain {
      min-height: 44px;
    }
  }
</style>
