<script lang="ts">
  /** A section's 12 columns. On the bench instruments are dragged, sized, and moved by the arrow keys. */
  import { getContext, untrack } from 'svelte'
  import type { Instrument, Picture, Placed, Reading, Schemas, Section } from '../../api/client'
  import type { Grab } from '../../faces/grab'
  import { isLit } from '../../faces/lit'
  import Sheet from './Sheet.svelte'
  import PictureSheet from './PictureSheet.svelte'
  import TextSheet from './TextSheet.svelte'
  import { COLUMNS, GAP, ROW, isInstrument, isText, settle, snapped, standing } from './layout'

  interface Props {
    section: Section
    pictures: Record<string, Picture>
    texts: Record<string, Schemas['TextPicture']>
    bench?: boolean
    /** Pixels that a row is high, where it is not as on a desk. */
    row?: number
    selected?: string | null
    /** Sheets that were chosen together with it. */
    picked?: string[]
    open: (instrument: Instrument, reading: Reading) => void
    tick?: (instrument: Instrument, reading: Reading, step: Schemas['Step'], done: boolean) => void
    take?: (instrument: Instrument, kind: 'csv' | 'xlsx') => void
    /** What the bench does; only given there. */
    select?: (id: string, also?: boolean) => void
    /** Come upon by Tab. */
    reach?: (id: string) => void
    grabs?: (instrument: Instrument) => Grab | undefined
    arrange?: (items: Placed[], says: string) => void
    carry?: (id: string, way: -1 | 1) => void
    /** Let go over another section. */
    drop?: (id: string, section: string, at: { x: number; y: number }) => void
    remove?: (id: string) => void
  }
  let {
    section,
    pictures,
    texts,
    bench = false,
    row = ROW,
    selected = null,
    picked = [],
    open,
    tick,
    take,
    select = () => undefined,
    reach = () => undefined,
    grabs = () => undefined,
    arrange = () => undefined,
    carry = () => undefined,
    drop = () => undefined,
    remove = () => undefined,
  }: Props = $props()
  let width = $state(0)
  let over: HTMLElement | null = null
  let pressed = false
  let trial = $state<Placed[] | null>(null)
  let held = $state.raw<{ id: string; x: number; y: number; size: boolean; from: Placed } | null>(null)
  const items = $derived(trial ?? standing(section))
  const column = $derived((width - GAP * (COLUMNS - 1)) / COLUMNS)

  function down(event: PointerEvent, item: Placed, size: boolean) {
    if (event.button !== 0) return
    event.preventDefault()
    pressed = true
    ;(event.currentTarget as HTMLElement).focus({ preventScroll: true })
    pressed = false
    if (!picked.includes(item.id) || event.shiftKey) select(item.id, event.shiftKey)
    held = { id: item.id, x: event.clientX, y: event.clientY, size, from: { ...item } }
    ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  }
  function move(event: PointerEvent) {
    if (!held) return
    const across = Math.round((event.clientX - held.x) / (column + GAP))
    const along = Math.round((event.clientY - held.y) / (ROW + GAP))
    const { from } = held
    over = held.size ? null : otherSection(event)
    if (over) {
      trial = null
      return
    }
    const next = held.size
      ? { ...from, w: Math.min(COLUMNS - from.x, from.w + across), h: from.h + along }
      : { ...from, x: from.x + across, y: from.y + along }
    trial = moving(next, across, along)
  }
  /** Where everything stands with a sheet moved, and those that were chosen with it. */
  function moving(next: Placed, across: number, along: number): Placed[] {
    const with_ = picked.length > 1 && picked.includes(next.id) && !held?.size ? picked : []
    const every = standing(section).map((item) =>
      with_.includes(item.id) && item.id !== next.id
        ? snapped({ ...item, x: item.x + across, y: item.y + along }, section.columns)
        : item,
    )
    return settle(every, snapped(next, section.columns))
  }
  /** The other section under the pointer, which shows that it takes what is dragged. */
  function otherSection(event: PointerEvent): HTMLElement | null {
    const there = document.elementsFromPoint(event.clientX, event.clientY)
    // What lies under the bench is not seen, and takes nothing.
    const seen = there.some((found) => found.closest('[data-covers]')) ? [] : there
    const under = seen
      .map((found) => found.closest<HTMLElement>('[data-takes]'))
      .find((found) => found && found.dataset.takes !== section.id)
    for (const grid of document.querySelectorAll<HTMLElement>('[data-takes]'))
      grid.classList.toggle('takes', grid === under)
    return under ?? null
  }
  function up(event: PointerEvent) {
    if (held && over) {
      const box = over.getBoundingClientRect()
      const at = {
        x: Math.floor(((event.clientX - box.left) / box.width) * COLUMNS - held.from.w / 2 + 0.5),
        y: Math.max(0, Math.floor((event.clientY - box.top) / (ROW + GAP))),
      }
      over.classList.remove('takes')
      drop(held.id, over.dataset.takes!, at)
    } else if (held && trial) arrange(trial, held.size ? 'size a sheet' : 'move a sheet')
    held = null
    trial = null
    over = null
  }
  function key(event: KeyboardEvent, item: Placed) {
    const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key]
    if (event.key === 'Delete') return remove(item.id)
    if (event.key === ' ') {
      event.preventDefault()
      return select(item.id, true)
    }
    if (!step) return
    event.preventDefault()
    const [across, along] = step as [number, number]
    if (event.altKey && along) return carry(item.id, along as -1 | 1)
    // Closing up towards the top would undo a step down past a neighbour: swap with what lies below instead.
    let next = event.shiftKey
      ? { ...item, w: item.w + across, h: item.h + along }
      : { ...item, x: item.x + across, y: item.y + along }
    if (!event.shiftKey && along > 0) {
      const below = items.filter(
        (other) =>
          other.id !== item.id &&
          other.y >= item.y + item.h &&
          other.x < item.x + item.w &&
          item.x < other.x + other.w,
      )
      const nearest = below.sort((a, b) => a.y - b.y)[0]
      if (nearest) next = { ...item, y: nearest.y + nearest.h }
    }
    arrange(
      settle(
        untrack(() => standing(section)),
        snapped(next, section.columns),
      ),
      event.shiftKey ? 'size a sheet' : 'move a sheet',
    )
  }
  const lit = getContext<(() => string) | undefined>('lit')
  const moved = getContext<((id: string) => boolean) | undefined>('moved')
  /** Whether none of a sheet's readings is among those that stay bright. */
  function dimmed(item: Placed): boolean {
    const now = lit?.()
    if (!now) return false
    return !(pictures[item.id]?.readings ?? []).some((reading) => isLit(reading, now))
  }
  const titleOf = (item: Placed) =>
    isInstrument(item) ? pictures[item.id]?.title : isText(item) ? 'Text' : item.alt || 'Picture'
</script>

<div
  class="grid"
  data-takes={bench ? section.id : undefined}
  bind:clientWidth={width}
  style:--row="{row}px"
  style:--gap="{GAP}px"
>
  {#each items as item (item.id)}
    <section
      role="group"
      class="sheet item"
      class:selected={bench && (selected === item.id || picked.includes(item.id))}
      class:dim={dimmed(item)}
      class:moved={moved?.(item.id)}
      class:lifted={held?.id === item.id && trial}
      style="--x:{(item.x ?? 0) + 1};--y:{(item.y ?? 0) + 1};--w:{item.w};--h:{item.h};--order:{(item.y ??
        0) *
        12 +
        (item.x ?? 0)}"
      aria-label={titleOf(item)}
      data-instrument={item.id}
      onpointerdown={(event) =>
        bench &&
        !(event.target as Element).closest('.grip, .corner') &&
        (event.shiftKey || !picked.includes(item.id)) &&
        select(item.id, event.shiftKey)}
    >
      {#if bench}
        <button
          class="grip"
          aria-label="Move {titleOf(item) ?? 'instrument'}"
          title="Drag to move, also to another section. Arrow keys move, with Shift they size, with Alt they change section; Space chooses several, Delete deletes"
          onfocus={() => pressed || reach(item.id)}
          onpointerdown={(event) => down(event, item, false)}
          onpointermove={move}
          onpointerup={up}
          onpointercancel={up}
          onkeydown={(event) => key(event, item)}
        >
          <svg viewBox="0 0 12 6" width="14" height="7" aria-hidden="true"
            ><path d="M0 1H12M0 5H12" stroke="currentColor" stroke-width="1.4" /></svg
          >
        </button>
      {/if}
      {#if isInstrument(item)}
        <Sheet
          instrument={item}
          picture={pictures[item.id]}
          open={(reading) => open(item, reading)}
          tick={bench || !tick ? undefined : (reading, step, done) => tick(item, reading, step, done)}
          still={bench}
          grab={bench && selected === item.id ? grabs(item) : undefined}
          take={bench || !take ? undefined : (kind) => take(item, kind)}
        />
      {:else if isText(item)}<TextSheet picture={texts[item.id]} {bench} />
      {:else}<PictureSheet picture={item} {bench} />{/if}
      {#if bench}
        <span
          class="corner"
          role="presentation"
          onpointerdown={(event) => down(event, item, true)}
          onpointermove={move}
          onpointerup={up}
          onpointercancel={up}
        ></span>
      {/if}
    </section>
  {/each}
</div>

<style>
  .grid {
    display: grid;
    grid-template-columns: repeat(12, minmax(0, 1fr));
    grid-auto-rows: var(--row);
    gap: var(--gap);
  }
  .item {
    position: relative;
    container: sheet / inline-size;
    grid-column: var(--x) / span var(--w);
    grid-row: var(--y) / span var(--h);
    display: flex;
    flex-direction: column;
    min-width: 0;
    min-height: 0;
    padding: 10px 13px 11px;
    overflow: hidden;
  }
  :global(.takes) {
    outline: 2px dashed var(--accent);
    outline-offset: 4px;
  }
  .selected {
    outline: 2px solid var(--accent);
    outline-offset: 2px;
  }
  .moved {
    animation: moved 2.4s ease-out;
  }
  @keyframes moved {
    0%,
    60% {
      outline: 2px solid var(--accent);
    }
    100% {
      outline: 2px solid transparent;
    }
  }
  .lifted {
    box-shadow: var(--lift);
    z-index: 5;
  }
  .grip {
    position: absolute;
    top: 0;
    left: 50%;
    translate: -50% 0;
    padding: 3px 22px 5px;
    color: var(--accent);
    cursor: grab;
    touch-action: none;
    opacity: 0.55;
  }
  .grip:hover,
  .grip:focus-visible,
  .selected .grip {
    opacity: 1;
  }
  .corner {
    position: absolute;
    right: 0;
    bottom: 0;
    width: 18px;
    height: 18px;
    cursor: nwse-resize;
    touch-action: none;
    background: linear-gradient(
      135deg,
      transparent 55%,
      var(--accent) 55% 65%,
      transparent 65% 78%,
      var(--accent) 78% 88%,
      transparent 88%
    );
    opacity: 0.7;
  }
  @media (max-width: 760px) {
    .grid {
      display: flex;
      flex-direction: column;
    }
    .item {
      order: var(--order);
      min-height: calc(var(--h) * 32px);
    }
  }
</style>
