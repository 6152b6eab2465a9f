<script lang="ts">
  /** A yardstick as a strip: bands to rename or split, cuts to drag, step with the arrows, or type. */
  import { Popover, Portal } from '@skeletonlabs/skeleton-svelte'
  import type { Cut, Strip, YardstickBody } from '../api/client'
  import { colour, on, stateOf, tint, word } from '../api/states.svelte'
  import BandPanel from './BandPanel.svelte'
  import CutPanel from './CutPanel.svelte'
  import { cutMoves } from './cut_moves'
  import Sign from './Sign.svelte'

  interface Props {
    strip: Strip
    body: YardstickBody
    kpi: string
    active?: string | null
    value?: number | null
    markNames: string[]
    draft: (body: YardstickBody | null) => void
    keep: (body: YardstickBody, says: string) => unknown
  }
  let { strip, body, kpi, active = null, value = null, markNames, draft, keep }: Props = $props()

  let width = $state(0)
  let bed = $state<HTMLElement | null>(null)
  let openCut = $state<number | null>(null)
  let openBand = $state<number | null>(null)
  let pressed: number | null = null

  const fraction = (at: number) => strip.cuts[at]?.fraction ?? (at + 1) / (strip.cuts.length + 1)
  const edges = $derived([0, ...strip.cuts.map((_, i) => fraction(i)), 1])
  const low = $derived(strip.axis.low)
  const span = $derived(strip.axis.high - strip.axis.low)
  const row = (at: number) => {
    let level = 0
    for (let i = 1; i <= at; i++) level = (fraction(i) - fraction(i - 1)) * width < 62 && level === 0 ? 1 : 0
    return level
  }

  let failed = $state('')
  const moves = cutMoves({
    strip: () => strip,
    body: () => $state.snapshot(body) as YardstickBody,
    draft: (next) => draft(next),
    keep: (next, says) => keep(next, says),
    failed: (why) => (failed = why),
  })

  function down(event: PointerEvent, at: number) {
    if (event.button !== 0 || strip.cuts[at]?.value === null) return
    pressed = at
    ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  }
  function move(event: PointerEvent) {
    if (pressed === null || !bed) return
    const box = bed.getBoundingClientRect()
    const to = low + Math.min(1, Math.max(0, (event.clientX - box.left) / box.width)) * span
    const near = Math.abs(to - (strip.cuts[pressed]?.value ?? low)) < strip.step / 2
    if (moves.isGoing() || !near) moves.go(pressed, to, event.shiftKey)
  }
  function up(at: number) {
    if (pressed === null) return
    pressed = null
    if (moves.isGoing()) void moves.letGo()
    else openCut = openCut === at ? null : at
  }
  function key(event: KeyboardEvent, at: number) {
    const now = moves.valueOf(at)
    const way = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key]
    if (way && now !== null) {
      event.preventDefault()
      moves.go(at, now + way * strip.step * (event.shiftKey ? 10 : 1))
    } else if (event.key === 'Enter' || event.key === ' ') {
      event.preventDefault()
      openCut = at
    }
  }

  function changeCut(at: number, change: Partial<Cut>, says: string) {
    keep({ ...body, cuts: body.cuts.map((cut, i) => (i === at ? { ...cut, ...change } : { ...cut })) }, says)
  }
  function deriveFrom(at: number, mark: string) {
    const now = strip.cuts[at]?.value ?? body.cuts[at]?.offset ?? 0
    if (!mark) return moves.change('number', at, now, 'make a cut a number')
    changeCut(at, { mark, factor: 1, offset: 0 }, `derive a cut from ${mark}`)
  }
  function setState(at: number, state: string) {
    keep({ ...body, bands: body.bands.map((band, i) => (i === at ? state : band)) }, 'change a band’s state')
    openBand = null
  }
  function split(at: number) {
    const start = at === 0 ? low : (strip.cuts[at - 1]?.value ?? low)
    const end = at === body.cuts.length ? strip.axis.high : (strip.cuts[at]?.value ?? strip.axis.high)
    openBand = null
    void moves.change('split', at, Math.round((start + end) / 2 / strip.step) * strip.step, 'split a band')
  }
  function merge(at: number) {
    openCut = null
    openBand = null
    const band = at === 0 ? 0 : at
    keep(
      {
        ...body,
        bands: body.bands.toSpliced(band, 1),
        cuts: body.cuts.toSpliced(Math.min(at, body.cuts.length - 1), 1),
      },
      'take out a band',
    )
  }
  const jitter = (i: number) => 4 + ((i * 7919) % 23)
</script>

<div class="strip">
  <svg class="dots" height="30" width="100%" role="presentation">
    {#each strip.dots as dot, i (i)}
      <circle cx="{dot.fraction * 100}%" cy={jitter(i)} r="2.3" fill={colour(dot.state)} opacity="0.82">
        <title>{dot.label}</title>
      </circle>
    {/each}
  </svg>
  <div class="bed" bind:this={bed} bind:clientWidth={width}>
    {#each body.bands as band, i (i)}
      {@const start = edges[i] ?? 0}
      {@const size = Math.max(0, (edges[i + 1] ?? 1) - start)}
      {@const full = active === band}
      <Popover open={openBand === i} onOpenChange={(details) => (openBand = details.open ? i : null)}>
        <Popover.Trigger
          class="band"
          style="left:{start * 100}%;width:{size * 100}%;background:{full
            ? colour(band)
            : tint(band)};color:{full ? on(band) : word(band)}"
          aria-label="Band {i + 1}, {stateOf(band)?.name}: {strip.band_words[i]?.words}. Change"
          title={strip.band_words[i]?.words}
        >
          {#if size * width > 46}{stateOf(band)?.name}{:else if size * width > 15}<Sign
              state={band}
              size={13}
              fill="currentColor"
            />{/if}
        </Popover.Trigger>
        <Portal>
          <Popover.Positioner style="z-index: 60">
            <Popover.Content class="strip-panel sheet" aria-label="Band {i + 1}" aria-labelledby={null}>
              <BandPanel
                state={band}
                words={strip.band_words[i]?.words ?? ''}
                choose={(state) => setState(i, state)}
                split={body.bands.length < 12 ? () => split(i) : undefined}
                remove={body.bands.length > 2 ? () => merge(i) : undefined}
              />
            </Popover.Content>
          </Popover.Positioner>
        </Portal>
      </Popover>
    {/each}
    {#if value !== null}
      <span class="now" style:left="{Math.min(1, Math.max(0, (value - low) / span)) * 100}%"></span>
    {/if}
    {#each strip.cuts as cut, i (i)}
      <Popover
        open={openCut === i}
        onOpenChange={(details) => {
          if (details.open) return
          openCut = null
          bed?.querySelectorAll<HTMLElement>('.cut')[i]?.focus()
        }}
        initialFocusEl={() => document.querySelector<HTMLElement>('.cut-panel input')}
      >
        <Popover.Anchor class="cut-anchor" style="left:{fraction(i) * 100}%">
          <span
            class="cut"
            class:missing={cut.value === null}
            role="slider"
            tabindex="0"
            aria-label="Cut {i + 1}, {cut.words}"
            aria-valuemin={low}
            aria-valuemax={strip.axis.high}
            aria-valuenow={cut.value ?? low}
            aria-valuetext={cut.shown || `no ${cut.mark}`}
            title="{cut.words}. Drag, use the arrow keys, or press Enter to type"
            onpointerdown={(event) => down(event, i)}
            onpointermove={move}
            onpointerup={() => up(i)}
            onkeydown={(event) => key(event, i)}
            onkeyup={() => void moves.letGo()}
            onblur={() => void moves.letGo()}
          >
            <span class="pill" style:margin-top="{row(i) * 21}px">{cut.shown || cut.words}</span>
          </span>
        </Popover.Anchor>
        <Portal>
          <Popover.Positioner style="z-index: 60">
            <Popover.Content
              class="strip-panel cut-panel sheet"
              aria-label="Cut {i + 1}"
              aria-labelledby={null}
            >
              {#if openCut === i && body.cuts[i]}
                <CutPanel
                  {cut}
                  held={body.cuts[i]}
                  around={[body.bands[i]!, body.bands[i + 1]!]}
                  reason={strip.reason}
                  {kpi}
                  {markNames}
                  derive={(mark) => deriveFrom(i, mark)}
                  change={(edit, says) => changeCut(i, edit, says)}
                  type={(to) => moves.change('type', i, to, 'type a cut')}
                  remove={body.bands.length > 2 ? () => merge(i + 1) : undefined}
                />
              {/if}
            </Popover.Content>
          </Popover.Positioner>
        </Portal>
      </Popover>
    {/each}
  </div>
  <div class="ends small soft" style:--levels={Math.max(0, ...strip.cuts.map((_, i) => row(i)))}>
    <span>{strip.axis.low_shown}</span><span>{strip.axis.high_shown}</span>
  </div>
  {#if failed}<p class="wrong" role="alert">{failed}</p>{/if}
  {#if strip.reason}<p class="wrong" role="alert">Not graded here: {strip.reason}.</p>{/if}
</div>

<style>
  .strip {
    user-select: none;
    padding-bottom: 2px;
  }
  .dots {
    display: block;
    overflow: visible;
  }
  .bed {
    position: relative;
    height: 26px;
    background: var(--nothing-tint);
  }
  .strip :global(.band) {
    position: absolute;
    inset-block: 0;
    display: grid;
    place-items: center;
    overflow: hidden;
    font-weight: 620;
    font-size: 12.5px;
    cursor: pointer;
  }
  .strip :global(.band:hover) {
    box-shadow: inset 0 0 0 2px var(--accent);
  }
  .strip :global(.cut-anchor) {
    position: absolute;
    top: -3px;
    width: 0;
    z-index: 2;
  }
  .cut {
    position: absolute;
    left: -10px;
    width: 20px;
    height: 32px;
    cursor: ew-resize;
    touch-action: none;
  }
  .cut::before {
    content: '';
    position: absolute;
    left: 9px;
    width: 2px;
    height: 32px;
    background: var(--ink);
  }
  .cut.missing::before {
    background: none;
    border-left: 2px dashed var(--soft);
  }
  .pill {
    position: absolute;
    top: 34px;
    left: 10px;
    translate: -50% 0;
    padding: 0 6px;
    background: var(--ink);
    color: var(--sheet);
    font-weight: 620;
    font-size: 12px;
    line-height: 18px;
    border-radius: 3px;
    white-space: nowrap;
  }
  .now {
    position: absolute;
    bottom: -1px;
    translate: -50% 0;
    border: 5px solid transparent;
    border-bottom: 7px solid var(--accent);
    border-top: 0;
    z-index: 1;
  }
  .ends {
    display: flex;
    justify-content: space-between;
    margin-top: calc(24px + var(--levels) * 21px);
  }
  :global(.strip-panel) {
    display: flex;
    flex-direction: column;
    gap: 6px;
    width: 264px;
    padding: 10px;
    box-shadow: var(--lift);
    font-size: 13px;
  }
  :global(.strip-panel .line) {
    display: flex;
    gap: 6px;
    align-items: center;
    white-space: nowrap;
  }
</style>
