<script lang="ts">
  /** What a reading says in full, beside it while the pointer is on it or it has the focus. */
  let text = $state('')
  let place = $state({ x: 0, y: 0, above: false })
  let at: Element | null = null
  let timer: ReturnType<typeof setTimeout> | undefined

  const tipped = (event: Event) => (event.target as Element | null)?.closest?.('[data-tip]') ?? null
  function show(element: Element) {
    const said = element.getAttribute('data-tip')
    if (!said) return
    at = element
    const box = element.getBoundingClientRect()
    const above = box.bottom + 90 > innerHeight && box.top > 90
    place = {
      x: Math.min(Math.max(8, box.left), Math.max(8, innerWidth - 328)),
      y: above ? box.top - 6 : Math.min(box.bottom + 6, innerHeight - 60),
      above,
    }
    text = said
  }
  function hide() {
    clearTimeout(timer)
    at = null
    text = ''
  }
  function over(event: PointerEvent) {
    const element = tipped(event)
    if (element === at) return
    hide()
    if (element && event.pointerType !== 'touch') timer = setTimeout(() => show(element), 350)
  }
  function focus(event: FocusEvent) {
    const element = tipped(event)
    if (element?.matches(':focus-visible')) show(element)
    else if (at) hide()
  }
</script>

<svelte:document
  onpointerover={over}
  onfocusin={focus}
  onfocusout={hide}
  onpointerdown={hide}
  onkeydown={(event) => event.key === 'Escape' && hide()}
/>
<svelte:window onscroll={hide} />

{#if text}
  <div
    class="tip"
    class:above={place.above}
    style:left="{place.x}px"
    style:top="{place.y}px"
    aria-hidden="true"
  >
    {text}
  </div>
{/if}

<style>
  .tip {
    position: fixed;
    z-index: 90;
    max-width: 320px;
    padding: 6px 10px;
    border-radius: 4px;
    background: var(--ink);
    color: var(--sheet);
    font-size: 12.5px;
    line-height: 1.35;
    pointer-events: none;
    box-shadow: var(--lift);
  }
  .above {
    translate: 0 -100%;
  }
</style>
