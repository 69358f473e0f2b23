import fc from 'fast-check'
import { scoresOf, type ToldAndCame } from './scores'

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
})
