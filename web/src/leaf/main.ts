import { mount, tick } from 'svelte'
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
document.title = told.title
const target = document.getElementById('app')!

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
else {
  mount(told.instrument ? One : Leaf, { target, props: { told } })
  void ready()
}
