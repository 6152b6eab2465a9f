<script lang="ts">
  import type { Reading } from '../api/client'
  import { stateOf, tint, word } from '../api/states.svelte'
  import Sign from './Sign.svelte'

  interface Props {
    reading: Pick<Reading, 'state' | 'status' | 'reason' | 'partial'> &
      Partial<Pick<Reading, 'usual' | 'few'>>
    /** Keep the word where it is narrow; without it the sign stands alone there. */
    whole?: boolean
  }
  let { reading, whole = false }: Props = $props()
  const name = $derived(
    stateOf(reading.state)?.name ?? (reading.status === 'no_reading' ? 'no reading' : 'not graded'),
  )
</script>

<span
  class="chip"
  class:nothing={!reading.state}
  class:whole
  style:background={tint(reading.state)}
  style:color={word(reading.state)}
  title={[reading.reason, reading.usual?.told, reading.few].filter(Boolean).join('; ')}
>
  <Sign state={reading.state} of={reading} />
  <span class="name">{name}{reading.state && reading.partial ? ' so far' : ''}</span>
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
  @container sheet (max-width: 180px) {
    .chip:not(.whole) .name {
      position: absolute;
      clip-path: inset(50%);
    }
  }
  .nothing {
    outline: 1px dashed var(--nothing);
    outline-offset: -1px;
    background: transparent !important;
  }
</style>
