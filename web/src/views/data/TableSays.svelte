<script lang="ts">
  /** How a table is read, in sentences whose parts can be changed. */
  import type { Schemas } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import DayField from '../../parts/DayField.svelte'
  import Slot from '../../parts/Slot.svelte'

  interface Props {
    look: Schemas['TableLook']
    slot: (key: string, to: string) => void
  }
  let { look, slot }: Props = $props()
</script>

<section class="sheet says" aria-label="How it is read">
  <p>
    {#each look.sentences as pieces, s (s)}
      {#each pieces as piece, p (p)}{#if !piece.slot}{piece.text}{:else}<Slot
            text={piece.text}
            label={piece.slot.replace('column:', 'Column ')}
            width={230}
          >
            {#snippet children(close)}
              {#if piece.choices?.length}
                <Choices
                  choices={piece.choices}
                  choose={(key) => {
                    close()
                    slot(piece.slot ?? '', key)
                  }}
                />
              {:else if piece.slot === 'as_of'}
                <DayField
                  value={String(look.recipe['as_of'] ?? '')}
                  label="The day the rows are as of"
                  keep={(day) => {
                    close()
                    slot('as_of', day)
                  }}
                />
              {:else}
                <input
                  class="type-in"
                  aria-label={piece.slot === 'year' ? 'The year' : 'What the figures are called'}
                  inputmode={piece.slot === 'year' ? 'numeric' : 'text'}
                  maxlength="60"
                  value={piece.slot === 'year' ? (look.recipe['year'] ?? '') : piece.text}
                  onchange={(event) => {
                    const said = event.currentTarget.value.trim()
                    if (!said || (piece.slot === 'year' && !/^(19|20)\d\d$/.test(said))) return
                    close()
                    slot(piece.slot ?? '', said)
                  }}
                />
              {/if}
            {/snippet}
          </Slot>{/if}{/each}{' '}
    {/each}
  </p>
  {#each look.told as said (said)}<p class="aside-note small">{said}</p>{/each}
</section>

<style>
  .says {
    padding: 14px 16px;
    font-size: 15.5px;
    line-height: 1.85;
    color: var(--soft);
  }
  .says .aside-note {
    margin-top: 6px;
    line-height: 1.4;
  }
</style>
