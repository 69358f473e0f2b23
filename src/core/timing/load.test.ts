import fc from 'fast-check'
import { loadOver, type Busy } from './load'

describe('load over a stretch', () => {
  it('shares what overlaps two parts by the time in each', () => {
    expect(loadOver([{ fromMs: 50, lengthMs: 100, slots: 2 }], 0, 300, 3)).toEqual([1, 1, 0])
    expect(loadOver([{ fromMs: -50, lengthMs: 75, slots: 1 }], 0, 100, 4)).toEqual([1, 0, 0, 0])
    expect(loadOver([{ fromMs: 0, lengthMs: 100, slots: 1 }], 0, 100, 1)).toEqual([1])
  })

  it('leaves out what lies outside, and what has no length', () => {
    const outside: Busy[] = [
      { fromMs: -100, lengthMs: 100, slots: 3 },
      { fromMs: 100, lengthMs: 5, slots: 3 },
      { fromMs: 50, lengthMs: 0, slots: 3 },
    ]
    expect(loadOver(outside, 0, 100, 2)).toEqual([0, 0])
  })

  it('loses and adds nothing: the sum is the slot time inside', () => {
    const entry = fc.record({
      fromMs: fc.integer({ min: -500, max: 1500 }),
      lengthMs: fc.integer({ min: 0, max: 1200 }),
      slots: fc.integer({ min: 1, max: 8 }),
    })
    fc.assert(
      fc.property(fc.array(entry, { maxLength: 12 }), fc.integer({ min: 1, max: 17 }), (entries, buckets) => {
        const loads = loadOver(entries, 0, 1000, buckets)
        const inside = entries.reduce(
          (sum, { fromMs, lengthMs, slots }) =>
            sum + slots * Math.max(0, Math.min(1000, fromMs + lengthMs) - Math.max(0, fromMs)),
          0,
        )
        expect(loads).toHaveLength(buckets)
        expect((loads.reduce((a, b) => a + b, 0) * 1000) / buckets).toBeCloseTo(inside, 6)
      }),
    )
  })
})
