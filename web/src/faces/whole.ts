/** Lists whose rows are never cut through: as high as whole ones, and what does not fit is told. */

const FOOT = 17

export interface Listed {
  count: number
  /** Told how many do not fit. */
  more: (count: number) => void
}

/** On the element that scrolls, inside one that has the height; below it stands what does not fit. */
export function whole(bed: HTMLElement, given: Listed) {
  const around = bed.parentElement!
  let told = -1
  function fit() {
    bed.style.height = bed.style.flex = ''
    const room = around.clientHeight
    const rows = [...bed.children].filter((row): row is HTMLElement => row instanceof HTMLElement)
    const ends = rows.map((row) => row.offsetTop + row.offsetHeight) // the bed is positioned
    let more = 0
    if (room && ends.length && Math.max(...ends) > room + 1) {
      const fits = ends.filter((end) => end <= room - FOOT)
      more = rows.length - fits.length
      bed.style.flex = 'none'
      bed.style.height = `${Math.max(...fits, Math.min(...ends))}px`
    }
    if (more !== told) given.more((told = more))
  }
  const seen = new ResizeObserver(fit)
  seen.observe(around)
  fit()
  return {
    update(next: Listed) {
      given = next
      fit()
    },
    destroy: () => seen.disconnect(),
  }
}
