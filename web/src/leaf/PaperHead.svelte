<script lang="ts">
  /** The title of a section on paper; where it goes on on a further page that is told. */
  import type { Section } from '../api/client'
  import type { Told } from './told'

  let { told, section, again }: { told: Told; section: Section; again: boolean } = $props()
  const words = $derived(told.picture.sections.find((note) => note.id === section.id)?.words ?? '')
  const on = $derived(again || section.id === told.part.on)
</script>

<div class="head">
  {#if on}<p class="title">{section.title}</p>
    <span class="soft small">continued</span>
  {:else}<h2 class="title">{section.title}</h2>
    <span class="soft small">{words}</span>{/if}
</div>

<style>
  .head {
    display: flex;
    align-items: baseline;
    gap: 12px;
    margin: 0 0 8px;
  }
  .title {
    margin: 0;
    font-size: 15px;
    font-weight: 650;
  }
  .head .small {
    font-weight: 450;
  }
</style>
