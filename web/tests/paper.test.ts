import assert from 'node:assert/strict'
import { test } from 'node:test'
import type { Placed, Section } from '../src/api/client'
import { bandsOf, narrowed, paged, roomOf, tall, type Measured } from '../src/leaf/paper'

const sheet = (id: string, x: number, y: number, w = 6, h = 4) => ({ id, x, y, w, h }) as Placed
const section = (id: string) => ({ id, title: id }) as Section
const wanted = { height: 700, lead: 0, notes: 0, apart: false, stretch: 40, open: null }
const measured = (
  id: string,
  items: Placed[],
  lists: Measured['lists'] = {},
  parts: Record<string, number> = {},
) => ({
  section: section(id),
  head: 30,
  bands: bandsOf(items, {}, 20, parts),
  lists,
})

test('no sheet crosses a band, and each stands in one', () => {
  const items = [sheet('a', 0, 0), sheet('b', 6, 0, 6, 8), sheet('c', 0, 4, 6, 4), sheet('d', 0, 8, 12, 3)]
  const bands = bandsOf(items, {}, 20)
  assert.deepEqual(
    bands.map((band) => band.items.map((item) => item.id).sort()),
    [['a', 'b', 'c'], ['d']],
  )
  assert.deepEqual(
    bands.map((band) => band.rows),
    [8, 3],
  )
})

test('a sheet that lists more than a page runs on by itself', () => {
  const [band] = bandsOf([sheet('a', 0, 0), sheet('long', 6, 0)], { long: 300 }, 20)
  assert.deepEqual([band!.items.map((one) => one.id), band!.long.map((one) => one.id)], [['a'], ['long']])
})

test('sections follow one another while they fit whole', () => {
  const few = [measured('one', [sheet('a', 0, 0)]), measured('two', [sheet('b', 0, 0)])]
  assert.equal(paged(few, wanted).pages.length, 1)
  assert.equal(paged(few, { ...wanted, apart: true }).pages.length, 2)
  const many = Array.from({ length: 9 }, (_, at) => measured(`s${at}`, [sheet(`a${at}`, 0, 0)]))
  const { pages } = paged(many, wanted)
  const drawn = pages.flatMap((page) => page.parts).filter((part) => part.kind === 'band')
  assert.equal(drawn.length, 9)
  assert.ok(pages.every((page) => page.room >= -1))
})

test('every line of a list is on a page, once and in order', () => {
  for (const count of [1, 5, 40, 3000]) {
    const heights = Array.from({ length: count }, (_, at) => 24 + (at % 7) * 6)
    const lists = { long: { ends: heights.map((_, at) => at + 1), heights, frame: 60 } }
    const { pages } = paged([measured('s', [sheet('long', 0, 0, 12)], lists, { long: 1 })], wanted)
    const runs = pages.flatMap((page) => page.parts).filter((part) => part.kind === 'run')
    assert.equal(runs[0]!.from, 0)
    assert.equal(runs.at(-1)!.to, count)
    for (const [at, run] of runs.slice(1).entries()) assert.equal(run.from, runs[at]!.to)
    assert.ok(pages.every((page) => page.room >= -1))
  }
})

test('of an open list only full pages are placed', () => {
  const heights = Array.from({ length: 100 }, () => 30)
  const lists = { long: { ends: heights.map((_, at) => at + 1), heights, frame: 40 } }
  const { placed } = paged([measured('s', [sheet('long', 0, 0, 12)], lists, { long: 1 })], {
    ...wanted,
    open: 'long',
  })
  assert.ok(placed > 0 && placed < 100)
})

test('notes come last, on a page of their own where they must', () => {
  const { pages } = paged([measured('s', [sheet('a', 0, 0, 12, 12)])], { ...wanted, notes: 400, lead: 50 })
  assert.equal(pages[0]!.parts[0]!.kind, 'lead')
  assert.equal(pages.at(-1)!.parts.at(-1)!.kind, 'notes')
})

test('in fewer columns no sheet is narrower, and each line is filled', () => {
  const found = narrowed(
    [sheet('a', 0, 0, 3), sheet('b', 3, 0, 9), sheet('c', 0, 4, 4), sheet('d', 4, 4, 4)],
    8,
  )
  for (const y of new Set(found.map((one) => one.y))) {
    const line = found.filter((one) => one.y === y)
    assert.equal(
      line.reduce((sum, one) => sum + one.w, 0),
      8,
    )
  }
  assert.deepEqual(narrowed(found, 12), found)
})

test('a paper is as wide as its columns', () => {
  assert.equal(roomOf('a4').columns, 12)
  assert.equal(roomOf('a4-upright').columns, 8)
  assert.ok(roomOf('a3').height > roomOf('a4').height)
  assert.equal(tall(2), 68)
})
