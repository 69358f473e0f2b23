import fc from 'fast-check'
import { bandOf, driftOfValues } from './band'

const HOUR = 3_600_000

it('a band has nine values in ten within it, and half of them on each side of its middle', () => {
  fc.assert(
    fc.property(
      fc.array(fc.double({ min: -1e6, max: 1e6, noNaN: true }), { minLength: 8, maxLength: 200 }),
      (values) => {
        const band = bandOf(values)
        if (!band) throw new Error('no band')
        const share = (is: (value: number) => boolean): number => values.filter(is).length / values.length
        expect(share((value) => value <= band.middle)).toBeGreaterThanOrEqual(0.5)
        expect(share((value) => value >= band.middle)).toBeGreaterThanOrEqual(0.5)
        expect(share((value) => value < band.low)).toBeLessThanOrEqual(0.05 + 1 / values.length)
        expect(share((value) => value > band.high)).toBeLessThanOrEqual(0.05 + 1 / values.length)
      },
    ),
  )
  expect(bandOf([1, 2, 3, 4, 5, 6, 7])).toBeNull()
  expect(bandOf([0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10])).toEqual({ low: 0.5, middle: 5, high: 9.5 })
})

it('what rises is found in few values and in thousands, through noise and some that are far off; what only sways is not', () => {
  for (const count of [20, 5000]) {
    const rising = Array.from({ length: count }, (_, i) => ({
      atMs: i * HOUR,
      value: i % 17 === 5 ? 900 : 100 + (60 * i) / count + (i % 5),
    }))
    expect(driftOfValues(rising)?.change).toBeCloseTo(0.6, 1)
    expect(driftOfValues(rising.map((each) => ({ ...each, value: 100 + ((each.atMs / HOUR) % 7) })))).toBeNull()
  }
})
