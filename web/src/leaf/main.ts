import { flushSync, mount, tick, unmount } from 'svelte'
import '../app.css'
import { bring } from '../api/images'
import { writeAs } from '../api/numbers'
import { knowStates } from '../api/states.svelte'
import { knowFaces } from '../faces/names.svelte'
import Leaf from './Leaf.svelte'
import One from './One.svelte'
import PaperPage from './PaperPage.svelte'
import type { Told } from './told'

const told = JSON.parse(document.getElementById('told')!.textContent) as Told
knowStates(told.palettes)
knowFaces(told.faces, told.colours)
bring(told.images)
writeAs(told.locale)
document.title = told.name
const target = document.getElementById('app')!
target.replaceChildren() // the same in plain HTML, for whoever reads it without scripts

/** Whoever draws it as a picture waits for this. */
async function ready() {
  await document.fonts.ready
  await Promise.all([...document.images].map((image) => image.decode().catch(() => undefined)))
  await tick()
  await new Promise((drawn) => requestAnimationFrame(() => requestAnimationFrame(drawn)))
  document.documentElement.dataset.ready = 'yes'
}

if (told.mode === 'paper' || told.mode === 'slides')
  mount(PaperPage, { target, props: { told, done: ready } })
else if (told.instrument) mount(One, { target, props: { told, done: () => void ready() } })
else {
  const shown = (as: Told, done = () => undefined as void) =>
    mount(Leaf, { target, props: { told: as, done } }) as { whole: () => void }
  let leaf = shown(told, () => void ready())
  // Printed by whoever reads it, nothing of it may be out of sight.
  if (told.mode === 'read') {
    const again = (as: Told) => {
      void unmount(leaf)
      target.replaceChildren()
      leaf = shown(as)
      flushSync()
    }
    addEventListener('beforeprint', () => {
      again({ ...told, mode: 'picture' })
      leaf.whole()
    })
    addEventListener('afterprint', () => again(told))
  }
}
