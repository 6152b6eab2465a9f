/** What is laid out by the printing alone, once: a long list would else be laid out for a screen that nobody looks at. */
import { getContext, setContext } from 'svelte'

/** What is drawn below comes when it is printed, where ``late`` says so. */
export const drawnInPrint = (late: () => boolean) => setContext('in print', late)
/** Whether that is so here; asked when a face is made. */
export const isDrawnInPrint = () => !!getContext<(() => boolean) | undefined>('in print')?.()

/** Put HTML behind what stands in an element while it is printed. */
export const inPrint = (html: () => string) => (place: HTMLElement) => {
  let before = 0
  const put = () => {
    before = place.childNodes.length
    place.insertAdjacentHTML('beforeend', html())
  }
  const take = () => {
    while (place.childNodes.length > before) place.lastChild!.remove()
  }
  addEventListener('beforeprint', put)
  addEventListener('afterprint', take)
  return () => {
    removeEventListener('beforeprint', put)
    removeEventListener('afterprint', take)
  }
}
