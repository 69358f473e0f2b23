import fc from 'fast-check'
import { LEADS, scored, scoresOf, type ToldAndCame, type ToldRow } from './scores'

const told = (chance: number, inTime: boolean, more: Partial<ToldAndCame> = {}): ToldAndCame => ({
  chance,
  inTime,
  finishP50: null,
  finish: null,
  length: null,
  ...more,
})

describe('how right forecasts were', () => {
  it('is a mean of squares, beside that of the share in time', () => {
    const scores = scoresOf([told(1, true), told(0.5, true), told(0.2, false), told(0.9, false)])
    expect(scores).toMatchObject({ count: 4, inTime: 2 })
    expect(scores.brier).toBeCloseTo((0 + 0.25 + 0.04 + 0.81) / 4)
    expect(scores.brierOfShare).toBeCloseTo(0.25)
    expect(scoresOf([])).toMatchObject({ count: 0, brier: null, bins: [], errorP50: null })
  })

  it('puts each chance into one bin, with what was told and what came', () => {
    const chances = fc.array(fc.tuple(fc.float({ min: 0, max: 1, noNaN: true }), fc.boolean()), { minLength: 1 })
    fc.assert(
      fc.property(chances, (list) => {
        const { bins } = scoresOf(list.map(([chance, inTime]) => told(chance, inTime)))
        expect(bins.reduce((sum, { count }) => sum + count, 0)).toBe(list.length)
        for (const { from, to, told: mean, came } of bins) {
          expect(mean).toBeGreaterThanOrEqual(from - 1e-9)
          expect(mean).toBeLessThanOrEqual(to)
          expect(came).toBeGreaterThanOrEqual(0)
          expect(came).toBeLessThanOrEqual(1)
        }
      }),
    )
  })

  it('says how far off the finish was, also as a share of the length', () => {
    const at = (error: number): ToldAndCame => told(1, true, { finishP50: 1000, finish: 1000 + error, length: 100 })
    const scores = scoresOf([at(10), at(-20), at(30), told(0, false)])
    expect(scores).toMatchObject({ errorP50: 20, errorP90: 30, relativeP50: 0.2 })
  })

  it('counts only what ended of what was told an end, and lengths that are known', () => {
    const at = (more: Partial<ToldAndCame>): ToldAndCame => told(1, true, { finishP50: 100, finish: 130, ...more })
    const scores = scoresOf([
      at({ length: 300 }),
      at({ finish: null }),
      at({ finishP50: null }),
      at({ length: 0, finish: 150 }),
      at({ length: null, finish: 60 }),
    ])
    expect(scores).toMatchObject({ errorP50: 40, errorP90: 50, relativeP50: 0.1 })
    expect(scoresOf([at({ finish: null })])).toMatchObject({ errorP50: null, errorP90: null, relativeP50: null })
  })

  it('has bins that are finer near what is certain, the last with both its ends', () => {
    const chances = [0, 0.19, 0.2, 0.59, 0.8, 0.9, 0.949, 0.95, 1]
    const bins = scoresOf(chances.map((chance) => told(chance, chance > 0.5))).bins
    expect(bins.map(({ from, to, count, came }) => [from, to, count, came])).toEqual([
      [0, 0.2, 2, 0],
      [0.2, 0.4, 1, 0],
      [0.4, 0.6, 1, 1],
      [0.8, 0.9, 1, 1],
      [0.9, 0.95, 2, 1],
      [0.95, 1, 2, 1],
    ])
    expect(bins[0]?.told).toBeCloseTo(0.095)
  })

  it('is told by how long before, and by trigger of what was told two hours before, the least right first', () => {
    const row = (lead: ToldRow['lead'], trigger: string, chance: number, inTime: boolean): ToldRow => ({
      ...told(chance, inTime),
      lead,
      trigger,
      title: trigger.toUpperCase(),
    })
    const { byLead, byTrigger } = scored([
      row('8h', 'a', 0.5, true),
      row('2h', 'a', 1, true),
      row('2h', 'b', 1, false),
      row('2h', 'c', 0.5, true),
      row('2h', 'c', 0.5, false),
      row('begun', 'b', 0, false),
      row('10m', 'd', 1, false),
    ])
    expect(Object.keys(byLead)).toEqual([...Object.keys(LEADS), 'begun'])
    expect(Object.values(byLead).map(({ count, brier }) => [count, brier])).toEqual([
      [1, 0.25],
      [4, 0.375],
      [1, 1],
      [1, 0],
    ])
    expect(byTrigger.map(({ trigger, title, scores }) => [trigger, title, scores.count, scores.brier])).toEqual([
      ['b', 'B', 1, 1],
      ['c', 'C', 2, 0.25],
      ['a', 'A', 1, 0],
    ])
  })
})
