/** A list of what a word may become stands above all else, below its field where there is room and else over it, so that
 * neither a window, a drawer nor a panel cuts it. Escape closes it, and nothing around it. */
const ROOM = 8
const LOW = 120 // where there is less room than this below, and more above, it stands above

export const beside = (anchor: () => HTMLElement | null, close: () => void) => (list: HTMLElement) => {
  list.popover = 'manual'
  list.showPopover()
  const place = () => {
    const box = anchor()?.getBoundingClientRect()
    if (!box) return
    const [below, above] = [innerHeight - box.bottom - ROOM, box.top - ROOM]
    const up = below < Math.min(list.scrollHeight, LOW) && above > below
    const width = Math.min(340, innerWidth - 2 * ROOM)
    Object.assign(list.style, {
      inset: 'auto',
      left: `${Math.max(ROOM, Math.min(box.left, innerWidth - width - ROOM))}px`,
      width: `${width}px`,
      maxHeight: `${Math.min(270, up ? above : below)}px`,
      ...(up ? { bottom: `${innerHeight - box.top + 2}px` } : { top: `${box.bottom + 2}px` }),
    })
  }
  // Before the panel it stands in is closed by the same key.
  const keys = (event: KeyboardEvent) => {
    if (event.key !== 'Escape' || event.target !== anchor()) return
    event.stopPropagation()
    close()
  }
  place()
  addEventListener('keydown', keys, true)
  addEventListener('scroll', place, true)
  addEventListener('resize', place)
  return () => {
    removeEventListener('keydown', keys, true)
    removeEventListener('scroll', place, true)
    removeEventListener('resize', place)
  }
}
