<script lang="ts">
  /** The sign of a note: a slip with two lines of writing; an empty, dashed one where a word is asked for. */
  let { wanted = false, size = 14 }: { wanted?: boolean; size?: number } = $props()
</script>

<svg class="slip" viewBox="0 0 14 14" width={size} height={size} aria-hidden="true">
  <path
    d="M2 1.5H12V9.5L9 12.5H2Z"
    fill={wanted ? 'none' : 'currentColor'}
    fill-opacity="0.16"
    stroke="currentColor"
    stroke-width="1.3"
    stroke-dasharray={wanted ? '2 1.6' : undefined}
  />
  {#if !wanted}<path d="M4.2 4.8H9.8M4.2 7.6H8" stroke="currentColor" stroke-width="1.3" />{/if}
</svg>

<style>
  .slip {
    display: inline-block;
    flex: none;
    color: var(--accent);
    vertical-align: -2px;
  }
</style>
