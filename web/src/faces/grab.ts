/** Dragging on a face: cuts and marks are taken hold of by pointer, or moved by the arrow keys. */

/** What a face tells of a drag: where on its axis, and whether it was let go. ``fine`` switches snapping off. */
export interface Grab {
  cut: (at: number, fraction: number, done: boolean, fine: boolean) => void
  /** The first mark's name. */
  name: string
  /** Only given where a mark can be set from here. */
  mark?: (name: string, fraction: number, done: boolean, fine: boolean) => void
}
interface Given {
  /** Where the pointer is, as a fraction of the axis. */
  where: (event: PointerEvent) => number
  now: number
  move: (fraction: number, done: boolean, fine: boolean) => void
}
const STEP = 1 / 100

export function grabbing(node: SVGElement, given: Given) {
  let held = false
  let last: number | null = null
  const within = (fraction: number) => Math.min(1, Math.max(0, fraction))
  function down(event: PointerEvent) {
    if (event.button !== 0) return
    event.preventDefault()
    held = true
    last = null
    node.setPointerCapture(event.pointerId)
    node.focus({ preventScroll: true })
  }
  function move(event: PointerEvent) {
    if (!held) return
    last = within(given.where(event))
    given.move(last, false, event.shiftKey)
  }
  function up(event: PointerEvent) {
    if (!held) return
    held = false
    if (last !== null) given.move(last, true, event.shiftKey)
  }
  function key(event: KeyboardEvent) {
    const way = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key]
    if (!way) return
    event.preventDefault()
    event.stopPropagation()
    given.move(within(given.now + way * STEP), true, false)
  }
  const listeners: [string, EventListener][] = [
    ['pointerdown', down as EventListener],
    ['pointermove', move as EventListener],
    ['pointerup', up as EventListener],
    ['pointercancel', up as EventListener],
    ['keydown', key as EventListener],
  ]
  for (const [name, listener] of listeners) node.addEventListener(name, listener)
  return {
    update(next: Given) {
      given = next
    },
    destroy() {
      for (const [name, listener] of listeners) node.removeEventListener(name, listener)
    },
  }
}

/** A pointer's place in the drawing's own units. */
export function placed(svg: SVGSVGElement, event: PointerEvent): { x: number; y: number } {
  const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM()!.inverse())
  return { x: point.x, y: point.y }
}
