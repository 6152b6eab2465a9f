<script lang="ts">
  /** Below the row that is typed in: why what was typed is no mark, or what is asked before it is kept. */
  import type { Schemas } from '../../api/client'

  interface Props {
    period: string | undefined
    said: Pick<Schemas['Understood'], 'problem' | 'doubt' | 'shown'>
    /** How many columns it goes over. */
    across: number
    keep: () => void
    drop: () => void
  }
  let { period, said, across, keep, drop }: Props = $props()
  /** The field stays what is typed in until one of both is pressed. */
  const pressed = (work: () => void) => (event: MouseEvent) => {
    event.preventDefault()
    work()
  }
</script>

<tr>
  <td class="small" role="gridcell" colspan={across}>
    <p class="wrong" aria-live="polite">
      {period}: {said.problem || said.doubt}
      {#if !said.problem}<button class="act" onmousedown={pressed(keep)}>Keep {said.shown}</button>{/if}
      <button class="act quiet" onmousedown={pressed(drop)}>Drop it</button>
    </p>
  </td>
</tr>

<style>
  tr,
  td {
    border-bottom: 1px solid var(--rule);
  }
  td {
    padding: 4px 6px 8px;
  }
</style>
