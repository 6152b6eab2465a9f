<script lang="ts">
  /** Freeze the page as it is read: a title, a covering note, and it is a draft. */
  import { push } from 'svelte-spa-router'
  import { api, attempt, got, type CardPicture, type Scope } from '../../api/client'
  import Slot from '../../parts/Slot.svelte'

  interface Props {
    id: string
    title: string
    card: CardPicture
    scope: Scope
  }
  let { id, title, card, scope }: Props = $props()
  let named = $state('')
  let note = $state('')
  let busy = $state(false)
  let failed = $state('')

  async function make() {
    busy = true
    await attempt(
      async () => {
        const body = {
          scorecard: id,
          scope,
          title: named.trim() || title,
          note,
        }
        const made = await got(api.POST('/api/editions', { body }))
        await push(`/editions/${made.id}`)
      },
      (said) => (failed = said),
    )
    busy = false
  }
</script>

<Slot text="Make an edition" label="Make an edition" width={320}>
  {#snippet children()}
    <form
      onsubmit={(event) => {
        event.preventDefault()
        void make()
      }}
    >
      <p class="small soft">
        Keeps {card.period_label} as it reads now: values, marks, yardsticks, workings and all. It is a draft until
        you publish it.
      </p>
      <input
        class="type-in"
        aria-label="Title of the edition"
        maxlength="120"
        placeholder={title}
        bind:value={named}
      />
      <textarea
        class="type-in"
        aria-label="Covering note"
        rows="3"
        maxlength="20000"
        placeholder="Covering note"
        bind:value={note}></textarea>
      {#if failed}<p class="wrong" role="alert">{failed}</p>{/if}
      <button class="act main" disabled={busy}>{busy ? 'Freezing…' : 'Make it'}</button>
    </form>
  {/snippet}
</Slot>

<style>
  form {
    display: grid;
    gap: 8px;
    padding: 6px;
  }
</style>
