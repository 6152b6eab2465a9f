import assert from 'node:assert/strict'
import { test } from 'node:test'
import type { YardstickBody } from '../src/api/client'
import { moved, tidy, valueOf } from '../src/parts/cuts'

const orchard = (...cuts: object[]) =>
  ({ name: 'Ripe', bands: ['short', 'near', 'met'], cuts, kpi: 'crates' }) as unknown as YardstickBody

test('a number is moved in what it is counted in', () => {
  const body = orchard({ offset: 10 }, { offset: 20 })
  assert.equal(moved(body, 1, 66, null, 3).cuts[1]!.offset, 22)
  assert.equal(moved(body, 1, 66, null, 3).cuts[0]!.offset, 10)
  assert.equal(body.cuts[1]!.offset, 20, 'what is moved is another one')
})

test('a factor of a mark stays one, an offset an offset', () => {
  const body = orchard({ offset: 0, mark: 'target', factor: 0.9 }, { offset: 5, mark: 'target', factor: 1 })
  assert.deepEqual(moved(body, 0, 60, 80, 1).cuts[0], { offset: 0, mark: 'target', factor: 0.75 })
  assert.deepEqual(moved(body, 1, 60, 80, 1).cuts[1], { offset: -20, mark: 'target', factor: 1 })
  const zero = moved(body, 0, 60, 0, 1).cuts[0]!
  assert.deepEqual([zero.factor, zero.offset], [0.9, 60], 'there is no factor of nothing')
})

test('where a cut is moved to, there it is', () => {
  const cuts = [
    { offset: 7 },
    { offset: 0, mark: 'target', factor: 0.9 },
    { offset: -3, mark: 'target', factor: 1 },
  ]
  for (const [at, to] of [13.5, 40, 91].entries()) {
    const found = moved(orchard(...cuts), at, to, 50, 2).cuts[at]
    assert.ok(Math.abs(valueOf(found, 50, 2)! - to) < 1e-9)
  }
})

test('a cut of a mark that is not there has no value', () => {
  assert.equal(valueOf({ offset: 1, mark: 'limit', factor: 1, belongs: 'above' }, null, 1), null)
  assert.equal(valueOf(undefined, 1, 1), null)
})

test('numbers lose what adding in binary leaves', () => assert.equal(tidy(0.1 + 0.2), 0.3))
