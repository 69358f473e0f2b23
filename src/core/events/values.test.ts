import { atPointer, broughtInputs, broughtNames, fitsOnly } from './values'

const body = { data: { vessel: 'Selkie', berth: 4, safe: true, 'a/b': { '~x': 1 }, list: ['x', 'y'], none: null } }

it.each([
  ['', body],
  ['/data/vessel', 'Selkie'],
  ['/data/a~1b/~0x', 1],
  ['/data/list/1', 'y'],
  ['/data/list/2', undefined],
  ['/data/vessel/length', undefined],
  ['/data/toString', undefined],
  ['/__proto__', undefined],
  ['/data/none', null],
])('at %s of what was sent lies %j', (pointer, value) => {
  expect(atPointer(body, pointer)).toEqual(value)
})

it('values are filled in with what came, as inputs take them', () => {
  const given = {
    plain: 'as it is',
    said: 'run ${run} of ${check.count}',
    vessel: { from: '/data/vessel' },
    berth: { from: '/data/berth' },
    safe: { from: '/data/safe' },
    list: { from: '/data/list' },
    none: { from: '/data/none' },
    other: { from: '/nowhere' },
  }
  expect(broughtInputs(given, { values: { run: '12', 'check.count': '3' }, body })).toEqual({
    given: { plain: 'as it is', said: 'run 12 of 3', vessel: 'Selkie', berth: '4', safe: 'yes', list: '["x","y"]' },
    faults: [],
  })
  expect([...broughtNames(given)]).toEqual(['said', 'vessel', 'berth', 'safe', 'list', 'none', 'other'])
})

it('a name that nothing came under is a fault of that input', () => {
  const { faults } = broughtInputs({ a: 'x ${total} ${toString}' }, { values: { run: '1' } })
  expect(faults).toEqual([
    { name: 'a', message: 'What started it brought no value called total.' },
    { name: 'a', message: 'What started it brought no value called toString.' },
  ])
})

it('what a value says is not read again for names', () => {
  expect(broughtInputs({ a: '${x}' }, { values: { x: '${y}', y: 'z' } }).given).toEqual({ a: '${y}' })
})

it.each([
  [{}, true],
  [{ '/data/vessel': 'Selkie', '/data/berth': 4 }, true],
  [{ '/data/vessel': 'Selkie', '/data/berth': '4' }, false],
  [{ '/data/nothing': 'x' }, false],
])('calls of which only %j count: this one %s', (only, counts) => {
  expect(fitsOnly(only, body)).toBe(counts)
})
