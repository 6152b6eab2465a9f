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

const target = document.getElementById('app')!
let shown: { whole?: () => void } | null = null

/** Whoever draws it as a picture waits for this. */
async function ready() {
  await document.fonts.ready
  await Promise.all([...document.images].map((image) => image.decode().catch(() => undefined)))
  await tick()
  await new Promise((drawn) => requestAnimationFrame(() => requestAnimationFrame(drawn)))
  document.documentElement.dataset.ready = 'yes'
}

/** Draw a page in the place of the one that is there, or of the plain HTML that is read without scripts. */
function draw(told: Told, done = () => void ready()) {
  if (shown) void unmount(shown)
  target.replaceChildren()
  delete document.documentElement.dataset.ready
  knowStates(told.palettes)
  knowFaces(told.faces, told.colours)
  bring(told.images)
  writeAs(told.locale)
  document.title = told.name
  const paper = told.mode === 'paper' || told.mode === 'slides'
  const Shown = paper ? PaperPage : told.instrument ? One : Leaf
  shown = mount(Shown, { target, props: { told, done } })
}

/** Pages of a book one after the other; states of all of them are known, and pictures have names of their own. */
function drawAll(pages: Told[], as: Told['mode']): { whole: () => void }[] {
  target.replaceChildren()
  knowStates(pages.flatMap((told) => told.palettes))
  knowFaces(pages[0]!.faces, pages[0]!.colours)
  bring(Object.assign({}, ...pages.map((told) => told.images)) as Told['images'])
  writeAs(pages[0]!.locale)
  return pages.map((told, at) => {
    const place = document.createElement('div')
    place.id = `leaf-${at}`
    target.append(place)
    return mount(Leaf, { target: place, props: { told: { ...told, mode: as } } }) as { whole: () => void }
  })
}

const read = document.getElementById('told')
const told = read && (JSON.parse(read.textContent) as Told | Told[])
if (!told) {
  // A printer stays open and is handed one page after the other.
  Object.assign(window, { draw: (given: string) => draw(JSON.parse(given) as Told) })
} else if (Array.isArray(told)) {
  let leaves = drawAll(told, 'read')
  const again = (mode: Told['mode']) => {
    for (const leaf of leaves) void unmount(leaf)
    leaves = drawAll(told, mode)
    flushSync()
  }
  addEventListener('beforeprint', () => {
    again('picture')
    for (const leaf of leaves) leaf.whole()
  })
  addEventListener('afterprint', () => again('read'))
  void ready()
} else {
  draw(told)
  // Printed by whoever reads it, nothing of it may be out of sight.
  if (told.mode === 'read') {
    const again = (as: Told) => {
      draw(as, () => undefined)
      flushSync()
    }
    addEventListener('beforeprint', () => {
      again({ ...told, mode: 'picture' })
      shown?.whole?.()
    })
    addEventListener('afterprint', () => again(told))
  }
}
