import fc from 'fast-check'
import {
  afterKey,
  backFor,
  HOUR_MS,
  HOURS,
  HOURS_BACK,
  MOST_HOURS_BACK,
  placeOf,
  QUARTER_MS,
  quarterAt,
} from './day-line-time'

const NOW = Date.parse('2027-03-09T02:07:30Z')
const QUARTER = quarterAt(NOW)

describe('where a stretch of the day line leads', () => {
  it('is what ran, for what is over; what is to start, for what is ahead; by its larger part', () => {
    expect(placeOf({ from: NOW - 2 * HOUR_MS, to: NOW - HOUR_MS }, NOW)).toEqual({
      path: '/runs',
      from: '2027-03-09T00:08:00.000Z',
      to: '2027-03-09T01:08:00.000Z',
    })
    expect(placeOf({ from: NOW + HOUR_MS, to: NOW + 2 * HOUR_MS }, NOW).path).toBe('/timing/coming')
    expect(placeOf({ from: NOW - HOUR_MS, to: NOW + 3 * HOUR_MS }, NOW).path).toBe('/timing/coming')
    expect(placeOf({ from: NOW - 3 * HOUR_MS, to: NOW + HOUR_MS }, NOW).path).toBe('/runs')
  })
})

describe('keys on the day line', () => {
  it('begin at now, go by quarters and by four hours, and make it longer', () => {
    expect(afterKey(null, 'ArrowLeft', false, NOW)).toEqual(QUARTER)
    const before = afterKey(QUARTER, 'ArrowLeft', false, NOW)
    expect(before).toEqual({ from: QUARTER.from - QUARTER_MS, to: QUARTER.from })
    expect(afterKey(QUARTER, 'PageDown', false, NOW)?.from).toBe(QUARTER.from + 4 * HOUR_MS)
    expect(afterKey(QUARTER, 'ArrowRight', true, NOW)).toEqual({ from: QUARTER.from, to: QUARTER.to + QUARTER_MS })
    expect(afterKey(QUARTER, 'ArrowLeft', true, NOW)).toEqual(QUARTER)
    expect(afterKey({ from: 0, to: QUARTER_MS }, 'Home', false, NOW)).toEqual(QUARTER)
    expect(afterKey(QUARTER, 'Tab', false, NOW)).toBeNull()
  })

  it('stay within a week and eight hours back and sixteen hours ahead, on the line wherever they lead', () => {
    const key = fc.tuple(fc.constantFrom('ArrowLeft', 'ArrowRight', 'PageUp', 'PageDown'), fc.boolean())
    fc.assert(
      fc.property(fc.array(key, { maxLength: 120 }), (keys) => {
        let [stretch, back] = [QUARTER, 0]
        for (const [name, isLonger] of keys) {
          stretch = afterKey(stretch, name, isLonger, NOW) ?? stretch
          const seen = isLonger ? stretch.to : stretch.from
          back = backFor(seen, NOW, back)
          const begins = NOW - (HOURS_BACK + back) * HOUR_MS
          expect(stretch.to - stretch.from).toBeGreaterThanOrEqual(QUARTER_MS)
          expect(stretch.from).toBeGreaterThanOrEqual(QUARTER.from - (HOURS_BACK + MOST_HOURS_BACK) * HOUR_MS)
          expect(stretch.to).toBeLessThanOrEqual(QUARTER.from + (HOURS - HOURS_BACK) * HOUR_MS)
          // The first quarter of all may begin a few minutes left of the line.
          expect(seen).toBeGreaterThanOrEqual(begins - QUARTER_MS)
          expect(seen).toBeLessThanOrEqual(begins + HOURS * HOUR_MS)
        }
      }),
    )
  })
})
