import assert from 'node:assert/strict'
import { test } from 'node:test'
import { folded, has } from '../src/parts/folded'
import { toggled } from '../src/parts/toggled'
import { ago } from '../src/views/front/ago'

test('names are found without case, accents and rare letters', () => {
  assert.equal(folded('Straße Łódź Ærø'), 'strasse lodz aero')
  assert.ok(has('Überstunden', 'uber'))
  assert.ok(!has('Crates', 'grates'))
})

test('one is put in or taken out', () => {
  assert.deepEqual(toggled(['a', 'b'], 'a'), ['b'])
  assert.deepEqual(toggled(['b'], 'a'), ['b', 'a'])
})

test('a moment is told as one would say it, on any day', () => {
  for (const day of ['2028-02-29', '2030-12-31', '2027-01-01']) {
    const now = new Date(`${day}T12:00:00`)
    const before = (hours: number) => new Date(now.getTime() - hours * 3_600_000).toISOString()
    assert.equal(ago(before(2), now, 'en-GB').words, 'earlier today')
    assert.equal(ago(before(24), now, 'en-GB').words, 'yesterday')
    assert.equal(ago(before(72), now, 'en-GB').words, '3 days ago')
    assert.match(ago(before(24 * 20), now, 'en-GB').words, /^on \d+ \w+$/)
  }
})
