import fc from 'fast-check'
import { DAY_SECONDS, parseTimeOfDay, timeOfDay } from '../calendar/days'
import { zoneOf, type Zone } from '../timing/zone'
import { hoursSince, hoursWords, isInHours, outOfHours, type Hours } from './hours'

const london = zoneOf('Europe/London') as Zone
const at = (iso: string): number => Date.parse(iso) / 1000

describe('hours of a robot', () => {
  it.each([
    ['07:00', '19:00', '2026-12-01T06:59:59Z', false],
    ['07:00', '19:00', '2026-12-01T07:00:00Z', true],
    ['07:00', '19:00', '2026-12-01T18:59:59Z', true],
    ['07:00', '19:00', '2026-12-01T19:00:00Z', false],
    // In summer the clock is an hour ahead of UTC.
    ['07:00', '19:00', '2026-07-01T06:00:00Z', true],
    ['07:00', '19:00', '2026-07-01T18:00:00Z', false],
    ['22:00', '06:00', '2026-12-01T23:00:00Z', true],
    ['22:00', '06:00', '2026-12-01T05:59:00Z', true],
    ['22:00', '06:00', '2026-12-01T12:00:00Z', false],
    ['18:00', null, '2026-12-01T23:59:59Z', true],
    [null, '06:00', '2026-12-01T00:00:00Z', true],
    [null, null, '2026-12-01T12:00:00Z', true],
    ['08:00', '08:00', '2026-12-01T03:00:00Z', true],
  ])('%s–%s at %s: %s', (earliest, latest, iso, expected) => {
    expect(isInHours({ earliest, latest }, null, london, at(iso))).toBe(expected)
  })

  it('past midnight belong to the day on which they began', () => {
    const tuesdays = (day: number): boolean => day === Math.floor(at('2026-12-01T00:00:00Z') / DAY_SECONDS)
    const nights: Hours = { earliest: '22:00', latest: '06:00' }
    expect(isInHours(nights, tuesdays, london, at('2026-12-01T03:00:00Z'))).toBe(false)
    expect(isInHours(nights, tuesdays, london, at('2026-12-02T03:00:00Z'))).toBe(true)
    expect(hoursSince(nights, tuesdays, london, at('2026-12-02T03:00:00Z'))).toBe(at('2026-12-01T22:00:00Z'))
    expect(hoursSince(nights, tuesdays, london, at('2026-12-05T03:00:00Z'))).toBe(at('2026-12-02T06:00:00Z'))
    expect(hoursSince({ earliest: null, latest: null }, null, london, at('2026-12-02T03:00:00Z'))).toBeNull()
  })

  it('say since when they are as they are: as walking back minute by minute finds it', () => {
    const time = fc.option(fc.integer({ min: 0, max: 47 }).map((half) => timeOfDay(half * 1800).slice(0, 5)))
    fc.assert(
      fc.property(
        time,
        time,
        fc.uniqueArray(fc.integer({ min: 0, max: 6 }), { minLength: 1 }),
        // Around both clock changes of 2026 in London.
        fc.constantFrom('2026-03-29', '2026-10-25', '2026-06-10'),
        fc.integer({ min: 0, max: 4 * 1440 }),
        (earliest, latest, weekdays, date, minute) => {
          const isDay = (day: number): boolean => weekdays.includes((((day + 3) % 7) + 7) % 7)
          const now = at(`${date}T00:00:00Z`) + minute * 60
          const hours = { earliest, latest }
          const isIn = isInHours(hours, isDay, london, now)
          let naive: number | null = null
          for (let back = now - (now % 60); back > now - 9 * DAY_SECONDS; back -= 60)
            if (isInHours(hours, isDay, london, back - 60) !== isIn) {
              naive = back
              break
            }
          expect(hoursSince(hours, isDay, london, now)).toBe(naive)
        },
      ),
      { numRuns: 200 },
    )
  })

  it('say when they are not, as looking at each minute finds it', () => {
    const time = fc.option(fc.integer({ min: 0, max: 47 }).map((half) => timeOfDay(half * 1800).slice(0, 5)))
    fc.assert(
      fc.property(
        time,
        time,
        fc.option(fc.uniqueArray(fc.integer({ min: 0, max: 6 }))),
        fc.constantFrom('2026-03-28', '2026-10-24', '2026-06-10'),
        fc.integer({ min: 0, max: 1439 }),
        fc.integer({ min: 1, max: 3 * 1440 }),
        (earliest, latest, weekdays, date, minute, length) => {
          const isDay = weekdays && ((day: number): boolean => weekdays.includes((((day + 3) % 7) + 7) % 7))
          const hours = { earliest, latest }
          const from = at(`${date}T00:00:00Z`) + minute * 60
          const to = from + length * 60
          const out = outOfHours(hours, isDay, london, from, to)
          for (let now = from; now < to; now += 600)
            expect([now, out.some((one) => one.from <= now && now < one.to)]).toEqual([
              now,
              !isInHours(hours, isDay, london, now),
            ])
          out.forEach((one, i) => expect(one.from).toBeGreaterThan(out[i - 1]?.to ?? -1))
        },
      ),
      { numRuns: 150 },
    )
  })

  it('are told in words', () => {
    expect(hoursWords({ earliest: '07:00', latest: '19:00', calendar: 'working-days' })).toBe(
      '07:00–19:00 on days of working-days',
    )
    expect(hoursWords({ earliest: null, latest: '06:00', calendar: null })).toBe('00:00–06:00')
    expect(hoursWords({ earliest: null, latest: null, calendar: null })).toBe('always')
    expect(parseTimeOfDay('07:00')).toBe(25_200)
  })
})
