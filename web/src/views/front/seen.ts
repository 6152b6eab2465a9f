/** Told once, when an element comes into sight or near it. */
export function seenOnce(node: Element, told: () => void) {
  const watch = new IntersectionObserver(
    (entries) => {
      if (!entries.some((entry) => entry.isIntersecting)) return
      watch.disconnect()
      told()
    },
    { rootMargin: '400px' },
  )
  watch.observe(node)
  return { destroy: () => watch.disconnect() }
}
