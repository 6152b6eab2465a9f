import assert from 'node:assert/strict'
import { test } from 'node:test'
import type { Placed } from '../src/api/client'
import { COLUMNS, place, settle, snapped, within } from '../src/parts/page/layout'

const sheet = (id: string, x: number, y: number, w = 4, h = 3) => ({ id, x, y, w, h }) as Placed
const meet = (a: Placed, b: Placed) =>
  a.x < b.x + b.w && b.x < a.x + a.w && a.y < b.y + b.h && b.y < a.y + a.h

test('a sheet stays on the grid', () => {
  assert.deepEqual(within(sheet('a', 11, -2, 40, 99)), sheet('a', 0, 0, COLUMNS, 60))
  assert.deepEqual(within(sheet('a', 11.4, 3.6, 1, 1)), sheet('a', 10, 4, 2, 2))
})

test('it snaps to columns of one width', () => {
  assert.deepEqual(snapped(sheet('a', 5, 0, 5, 4), 3), sheet('a', 4, 0, 4, 4))
  assert.deepEqual(snapped(sheet('a', 5, 0, 5, 4), 0), sheet('a', 5, 0, 5, 4))
})

test('what is moved makes room, and nothing overlaps or floats', () => {
  const held = [sheet('a', 0, 0, 6), sheet('b', 6, 0, 6), sheet('c', 0, 3, 12), sheet('d', 3, 9, 4)]
  for (const moved of [sheet('d', 4, 0, 5, 5), sheet('a', 6, 2, 6), sheet('c', 0, 0, 12, 3)]) {
    const found = settle(held, moved)
    assert.deepEqual(
      found.map((one) => one.id),
      ['a', 'b', 'c', 'd'],
    )
    for (const one of found) {
      for (const other of found) assert.ok(one === other || !meet(one, other), `${one.id} over ${other.id}`)
      const up = { ...one, y: one.y - 1 }
      assert.ok(one.y === 0 || found.some((other) => other !== one && meet(up, other)), `${one.id} floats`)
    }
  }
})

test('a new sheet takes the first room there is', () => {
  assert.deepEqual(place([], 4, 3), { x: 0, y: 0 })
  assert.deepEqual(place([sheet('a', 0, 0, 8)], 4, 3), { x: 8, y: 0 })
  assert.deepEqual(place([sheet('a', 0, 0, 10)], 4, 3), { x: 0, y: 3 })
})
