<script lang="ts">
  /** The history of one reading as a face: as tall as there is room. */
  import History from './History.svelte'
  import Spark from '../parts/Spark.svelte'
  import type { FaceProps } from './looks'
  import { sized } from '../parts/sized'

  let { picture, look, mini = false, grab }: FaceProps = $props()
  const reading = $derived(picture.readings[0])
  let height = $state(140)
</script>

{#if reading?.history}
  {#if mini}
    <span class="mini">
      <Spark
        line={reading.history.points.map((point) => point.fraction)}
        target={reading.history.points.map((point) => point.mark)}
        state={reading.state}
        wide
      />
    </span>
  {:else}
    <span class="past" {@attach sized((_, h) => (height = h))}>
      <span class="inside">
        <History
          shade={reading.shade}
          {grab}
          picture={reading.history}
          form={look.history.form}
          height={Math.max(14, height - 22)}
        />
      </span>
    </span>
  {/if}
{/if}

<style>
  .past {
    position: relative;
    display: block;
    height: 100%;
  }
  .inside {
    position: absolute;
    inset: 0;
  }
  .mini {
    display: block;
    height: 100%;
    min-height: 20px;
  }
</style>
