import fc from 'fast-check'
import { PRIORITIES } from '../dispatch/types'
import { afterTake, compareItems, emptyAtMs, MOST_LATERS, type ItemLife, type ItemTurn, type TakeEnd } from './item'

const NOW = Date.UTC(2027, 2, 9, 2)
const fresh: ItemLife = { state: 'taken', tries: 0, laters: 0, notBeforeMs: null }

describe('the end of a take', () => {
  it.each<[TakeEnd, Partial<ItemLife>, Partial<ItemLife>]>([
    [{ how: 'done' }, {}, { state: 'done', tries: 0 }],
    [{ how: 'rejected' }, { tries: 1 }, { state: 'rejected', tries: 1 }],
    [{ how: 'failed' }, {}, { state: 'waiting', tries: 1, notBeforeMs: NOW + 60_000 }],
    [{ how: 'lost' }, { tries: 1 }, { state: 'waiting', tries: 2, notBeforeMs: NOW + 60_000 }],
    [{ how: 'failed' }, { tries: 2 }, { state: 'failed', tries: 3, notBeforeMs: null }],
    [{ how: 'later', notBeforeMs: null }, { tries: 2 }, { state: 'waiting', tries: 2, laters: 1, notBeforeMs: null }],
    [{ how: 'later', notBeforeMs: NOW + 5 }, {}, { state: 'waiting', tries: 0, notBeforeMs: NOW + 5 }],
    // What is over already keeps nobody waiting.
    [{ how: 'later', notBeforeMs: NOW - 5 }, {}, { state: 'waiting', notBeforeMs: null }],
  ])('%j of %j makes it %j', (end, before, after) => {
    expect(afterTake({ ...fresh, ...before }, end, { tries: 3, delayMs: 60_000 }, NOW)).toMatchObject(after)
  })

  it('is not put off for ever', () => {
    const rules = { tries: 3, delayMs: 0 }
    let item: ItemLife | null = fresh
    for (let i = 0; i < MOST_LATERS; i++)
      item = item && afterTake(item, { how: 'later', notBeforeMs: null }, rules, NOW)
    expect(item).toMatchObject({ state: 'waiting', tries: 0, laters: MOST_LATERS })
    expect(item && afterTake(item, { how: 'later', notBeforeMs: null }, rules, NOW)).toBeNull()
    expect(item && afterTake(item, { how: 'done' }, rules, NOW)).toMatchObject({ state: 'done' })
  })

  it('fails an item after exactly as many tries as its queue says, whatever else comes between', () => {
    const ends = fc.array(
      fc.constantFrom<TakeEnd>({ how: 'failed' }, { how: 'lost' }, { how: 'later', notBeforeMs: null }),
    )
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 20 }), ends, (tries, all) => {
        let item: ItemLife = fresh
        let counted = 0
        for (const end of all) {
          if (item.state === 'failed') break
          const next = afterTake({ ...item, state: 'taken' }, end, { tries, delayMs: 1000 }, NOW)
          if (next === null) break
          item = next
          if (end.how !== 'later') counted++
          expect(item.tries).toBe(counted)
          expect(item.state).toBe(counted >= tries ? 'failed' : 'waiting')
        }
      }),
    )
  })
})

it('items go by level, then due, then number: as sorting by each, the last first, has it', () => {
  const item = fc.record({
    number: fc.integer({ min: 1, max: 999 }),
    priority: fc.constantFrom(...PRIORITIES),
    dueMs: fc.option(fc.integer({ min: 0, max: 5 })),
  })
  fc.assert(
    fc.property(fc.uniqueArray(item, { selector: ({ number }) => number }), (items) => {
      const naive = [...items]
        .sort((a, b) => a.number - b.number)
        .sort((a, b) => (a.dueMs ?? 99) - (b.dueMs ?? 99))
        .sort((a, b) => PRIORITIES.indexOf(a.priority) - PRIORITIES.indexOf(b.priority))
      expect([...items].sort(compareItems).map((one: ItemTurn) => one.number)).toEqual(naive.map((one) => one.number))
    }),
  )
})

it.each([
  [10, 5, 15, 3_600_000],
  [10, 15, 15, null],
  [10, 20, 15, null],
  [0, 0, 15, null],
])('%i waiting, %i come and %i end in an hour: empty in %s ms', (waiting, come, end, inMs) => {
  expect(emptyAtMs(waiting, come, end, NOW)).toBe(inMs === null ? null : NOW + inMs)
})
