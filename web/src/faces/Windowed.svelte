<script lang="ts" generics="T">
  /** Rows of one height; of many only those in sight, and some on either side, are drawn. */
  import type { Snippet } from 'svelte'

  interface Props {
    items: T[]
    height: number
    key: (item: T) => string
    row: Snippet<[T, number]>
    /** The element that scrolls. */
    bed: HTMLElement | null
  }
  let { items, height, key, row, bed }: Props = $props()
  const ALL = 60
  const SPARE = 8
  let top = $state(0)
  let tall = $state(400)
  $effect(() => {
    const scrolled = bed
    if (!scrolled || items.length <= ALL) return
    const look = () => {
      // Rows come and go eight at a time, so that most frames of a scroll draw nothing anew.
      top = Math.floor(scrolled.scrollTop / height / SPARE) * SPARE
      tall = scrolled.clientHeight
    }
    look()
    scrolled.addEventListener('scroll', look, { passive: true })
    const watch = new ResizeObserver(look)
    watch.observe(scrolled)
    return () => {
      scrolled.removeEventListener('scroll', look)
      watch.disconnect()
    }
  })
  const first = $derived(items.length <= ALL ? 0 : Math.max(0, top - SPARE))
  const last = $derived(
    items.length <= ALL ? items.length : Math.min(items.length, top + Math.ceil(tall / height) + 2 * SPARE),
  )
</script>

{#if first}<div class="space" style:height="{first * height}px"></div>{/if}
{#each items.slice(first, last) as item, i (key(item))}{@render row(item, first + i)}{/each}
{#if last < items.length}<div class="space" style:height="{(items.length - last) * height}px"></div>{/if}

<style>
  .space {
    flex: none;
  }
</style>
