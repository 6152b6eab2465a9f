import assert from 'node:assert/strict'
import { test } from 'node:test'
import { addressOf, assumedIn, scopedPart, scopeIn } from '../src/views/scorecards/scorecard_address'

const place = { id: 'orchards', how: '' as const, lit: '', turned: [], assume: {} }
const queryOf = (address: string) => new URLSearchParams(address.split('?')[1])

test('what an address was made from is read back', () => {
  const scope = {
    period: '2026-W43',
    grain: 'week' as const,
    members: { orchard: ['Hill & Dale', '<script>', '果園'], grade: ['A'] },
    assume: {},
  }
  const address = addressOf({ ...place, scope, lit: 'short', turned: ['s1', 's2'], assume: { waste: 0.5 } })
  assert.ok(address.startsWith('/scorecards/orchards?'))
  const scoped = scopedPart(queryOf(address))
  assert.deepEqual(scopeIn(scoped), scope)
  assert.deepEqual(
    assumedIn(scoped, () => []),
    { waste: 0.5 },
  )
  assert.equal(queryOf(address).get('-lit'), 'short')
})

test('the own scope has no address, and what is open is no scope', () => {
  assert.equal(addressOf({ ...place, scope: null }), '/scorecards/orchards')
  assert.equal(scopeIn(scopedPart(new URLSearchParams('-lit=short&-reading=a/b'))), null)
  assert.equal(scopeIn('period=2026')!.grain, 'month')
  assert.equal(scopeIn('grain=fortnight')!.grain, 'month')
})

test('the wall leaves what is tried and lit, the bench what is lit', () => {
  const all = { ...place, scope: null, lit: 'short', turned: ['s'], assume: { waste: 1 } }
  assert.equal(addressOf({ ...all, how: 'present' }), '/scorecards/orchards/present')
  assert.equal(addressOf({ ...all, how: 'bench' }), '/scorecards/orchards/bench?assume=waste%3A1')
})

test('assumptions are found by their handle, and nothing is asked for where there are none', () => {
  const known = () => [{ key: 'waste-1', handle: 'waste' }]
  assert.deepEqual(assumedIn('assume=waste:0.5&assume=price:x&assume=a:b:2', known), {
    'waste-1': 0.5,
    'a:b': 2,
  })
  const never = () => assert.fail('asked')
  assert.deepEqual(assumedIn('period=2026', never), {})
})
