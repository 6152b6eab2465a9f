<script lang="ts">
  /** How long a change has to last before it counts. */
  import type { Body } from './draft.svelte'

  interface Props {
    body: Body
    change: (edit: Partial<Body>) => void
    /** Whether readings in a row can be counted. */
    history: boolean
  }
  let { body, change, history }: Props = $props()
  const number = (event: Event, least: number, most: number) =>
    Math.min(
      most,
      Math.max(least, Math.round(Number((event.currentTarget as HTMLInputElement).value)) || least),
    )
</script>

<div class="fields">
  {#if history}
    <label
      >It stays for
      <input
        class="type-in"
        type="number"
        min="1"
        max="24"
        value={body.stays ?? 1}
        onchange={(event) => change({ stays: number(event, 1, 24) })}
      />
      readings in a row</label
    >
  {/if}
  <label
    >and lasts
    <input
      class="type-in"
      type="number"
      min="0"
      max="168"
      value={Math.round((body.minutes ?? 0) / 60)}
      onchange={(event) => change({ minutes: 60 * number(event, 0, 168) })}
    />
    hours since it was first seen</label
  >
  <p class="small soft">
    Hours help where rows are read live, or corrected soon after they come: what is put right meanwhile is
    never told.
  </p>
</div>

<style>
  .fields {
    display: grid;
    gap: 8px;
    padding: 4px;
  }
  input {
    width: 64px;
    margin: 0 4px;
  }
</style>
