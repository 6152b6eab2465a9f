<script lang="ts">
  /** A state as it was when it was told, whatever became of its palette. */
  import type { Schemas } from '../../api/client'
  import Sign from '../../parts/Sign.svelte'

  let { state }: { state: Schemas['ToldState'] } = $props()
</script>

<span class="plate" title={state.name}
  ><Sign sign={state.sign} size={14} fill={state.colour} /><span>{state.name}</span></span
>

<style>
  .plate {
    display: inline-flex;
    align-items: center;
    gap: 3px;
    font-size: 12.5px;
  }
</style>
