<script lang="ts">
  /** A scorecard at a glance: its drawing, its tally, and what changed on it. */
  import { may } from '../../api/me.svelte'
  import { api, got, type Schemas } from '../../api/client'
  import { mediumDay, when } from '../../api/days'
  import Stamps from '../../parts/Stamps.svelte'
  import Tally from '../../parts/Tally.svelte'

  interface Props {
    card: Schemas['Card']
    /** Which of how many it is, from 1. */
    place: number
    of: number
    pinned: boolean
    /** Whether its folder is told. */
    folder: boolean
    pin: () => void
    copy: () => void
    remove: () => void
  }
  let { card, place, of, pinned, folder, pin, copy, remove }: Props = $props()
</script>

<li class="sheet card" aria-setsize={of} aria-posinset={place}>
  <div class="line">
    <a class="title" href="#/scorecards/{card.id}"><h3>{card.title}</h3></a>
    <button
      class="pin small"
      aria-pressed={pinned}
      aria-label="{pinned ? 'Unpin' : 'Pin'} {card.title}"
      onclick={pin}>{pinned ? 'pinned' : 'pin'}</button
    >
  </div>
  <a class="drawing" href="#/scorecards/{card.id}" tabindex="-1" aria-hidden="true"
    ><Stamps
      of={card.glance && `${card.id}/${card.glance}`}
      fetch={() => got(api.GET('/api/front/drawings/{key}', { params: { path: { key: card.id } } }))}
    /></a
  >
  {#if card.tally.length}<Tally tally={card.tally} thin brief />
  {:else if !card.sheets}<p class="small soft">
      Nothing is on it yet. {#if may('make')}<a class="link" href="#/scorecards/{card.id}/bench"
          >Open the bench</a
        >{/if}
    </p>
  {:else}<p class="small soft">Being read…</p>{/if}
  <p class="small soft foot">
    <span>{card.period_label}{card.partial ? `, ${card.partial}` : ''}</span>
    <span>{card.tally.length ? (card.changed ? `${card.changed} changed` : 'none changed') : ''}</span>
  </p>
  <p class="small soft foot">
    <span class="last"
      >{[folder ? card.folder : '', card.owner].filter(Boolean).join(' · ')}<span
        class="at"
        title={when(card.updated_at)}
        >changed {mediumDay(card.updated_at)}{card.saved_by ? ` by ${card.saved_by}` : ''}</span
      ></span
    >
    {#if may('make')}<span class="own">
        <button class="act quiet" aria-label="Copy {card.title}" onclick={copy}>Copy</button>
        <button class="act quiet" aria-label="Delete {card.title}" onclick={remove}>Delete</button>
      </span>{/if}
  </p>
</li>

<style>
  .line {
    display: flex;
    align-items: baseline;
    justify-content: space-between;
    gap: 12px;
  }
  .card {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 8px;
    padding: 10px 13px;
    align-content: start;
    overflow: hidden;
    contain: layout paint style;
  }
  .card .title {
    min-width: 0;
    flex: 1;
    overflow-wrap: anywhere;
    display: -webkit-box;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 2;
    line-clamp: 2;
    overflow: hidden;
  }
  .card .title:hover h3 {
    color: var(--accent);
  }
  .drawing {
    display: block;
    aspect-ratio: 288 / 119;
    overflow: hidden;
  }
  .pin {
    color: var(--soft);
    cursor: pointer;
    min-height: 24px;
    padding: 0 4px;
  }
  .pin[aria-pressed='true'] {
    color: var(--accent);
    font-weight: 640;
  }
  .foot {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 10px;
  }
  .foot + .foot {
    margin-top: -6px;
  }
  .last {
    min-width: 0;
    align-self: flex-start;
  }
  .last,
  .at {
    display: -webkit-box;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 3;
    line-clamp: 3;
    overflow: hidden;
  }
  .at {
    -webkit-line-clamp: 1;
    line-clamp: 1;
  }
  .own {
    display: inline-flex;
    gap: 8px;
  }
  @media (max-width: 600px) {
    .pin,
    .card .title {
      display: inline-flex;
      align-items: center;
      min-height: 44px;
    }
    .card .line {
      margin: -8px 0;
      align-items: center;
    }
  }
</style>
