<script lang="ts">
  import type { Reading } from '../api/client'
  import { stateOf, tint, word } from '../api/states'
  import Sign from './Sign.svelte'

  let { reading }: { reading: Pick<Reading, 'state' | 'status' | 'reason' | 'partial'> } = $props()
  const name = $derived(
    stateOf(reading.state)?.name ?? (reading.status === 'no_reading' ? 'no reading' : 'not graded'),
  )
</script>

<span
  class="chip"
  class:nothing={!reading.state}
  style:background={tint(reading.state)}
  style:color={word(reading.state)}
  title={reading.reason}
>
  <Sign state={reading.state} />
  {name}{reading.state && reading.partial ? ' so far' : ''}
</span>

<style>
  .chip {
    display: inline-flex;
    align-items: center;
    gap: 5px;
    padding: 1px 8px 1px 6px;
    border-radius: 3px;
    font-weight: 620;
    font-size: 12.5px;
    white-space: nowrap;
  }
  .nothing {
    outline: 1px dashed var(--nothing);
    outline-offset: -1px;
    background: transparent !important;
  }
</style>
