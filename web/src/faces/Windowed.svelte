<script lang="ts" generics="T">
  /** Rows of one height, drawn where they are in sight. */
  import { getContext, type Snippet } from 'svelte'
  import { InView } from '../parts/inview.svelte'

  interface Props {
    items: T[]
    height: number
    key: (item: T) => string
    row: Snippet<[T, number]>
    /** The element that scrolls. */
    bed: HTMLElement | null
  }
  let { items, height, key, row, bed }: Props = $props()
  const paper = getContext('paper') // nothing is out of sight there
  // svelte-ignore state_referenced_locally
  const view = new InView({ count: () => items.length, height, bed: () => bed })
</script>

{#if paper}{#each items as item, i (key(item))}{@render row(item, i)}{/each}{:else}
  {#if view.first}<div class="space" style:height="{view.before}px"></div>{/if}
  {#each items.slice(view.first, view.last) as item, i (key(item))}{@render row(item, view.first + i)}{/each}
  {#if view.last < items.length}<div class="space" style:height="{view.after}px"></div>{/if}
{/if}

<style>
  .space {
    flex: none;
  }
</style>
