<script lang="ts">
  /** One edition in a list. */
  import Standing from './Standing.svelte'
  import type { Edition } from './told'

  let {
    edition,
    here = false,
    titled = false,
  }: { edition: Edition; here?: boolean; titled?: boolean } = $props()
</script>

<a href="#/editions/{edition.id}" class:here aria-current={here ? 'page' : undefined}>
  <b>{edition.number} · {titled ? `${edition.title}, ` : ''}{edition.period_label}</b>
  <span class="small soft">
    <Standing {edition} />
  </span>
</a>

<style>
  a {
    display: block;
    padding: 8px 14px;
    border-left: 3px solid transparent;
    border-bottom: 1px solid var(--rule);
  }
  a:hover b {
    color: var(--accent);
  }
  b,
  span {
    display: block;
    overflow-wrap: anywhere;
  }
  b {
    font-weight: 640;
  }
  .here {
    border-left-color: var(--accent);
    background: var(--accent-tint);
  }
</style>
