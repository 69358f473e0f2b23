import fc from 'fast-check'
import {
  civil,
  dayOf,
  FIRST_DAY,
  isoDay,
  LAST_DAY,
  parseIsoDay,
  parseTimeOfDay,
  periodAround,
  timeOfDay,
  weekdayIndex,
} from './days'

const anyDay = fc.integer({ min: FIRST_DAY, max: LAST_DAY })

describe('days', () => {
  it('agree with the built-in calendar on every day', () => {
    fc.assert(
      fc.property(anyDay, (day) => {
        const date = new Date(day * 86_400_000)
        const { year, month, day: dayOfMonth } = civil(day)
        expect([year, month, dayOfMonth]).toEqual([date.getUTCFullYear(), date.getUTCMonth() + 1, date.getUTCDate()])
        expect(dayOf(year, month, dayOfMonth)).toBe(day)
        expect(weekdayIndex(day)).toBe((date.getUTCDay() + 6) % 7)
        expect(parseIsoDay(isoDay(day))).toBe(day)
      }),
    )
  })

  it('end with the years 0001 and 9999', () => {
    expect(isoDay(FIRST_DAY)).toBe('0001-01-01')
    expect(isoDay(LAST_DAY)).toBe('9999-12-31')
  })

  it.each([
    '2027-02-29',
    '2027-13-01',
    '2027-00-10',
    '2027-1-1',
    '0000-12-31',
    '2027-04-31',
    ' 2027-04-30',
    '2027-04-30T00:00',
    '10000-01-01',
  ])('do not take %s', (text) => expect(parseIsoDay(text)).toBeUndefined())

  it('have times from 00:00 to 23:59:59', () => {
    expect(parseTimeOfDay('23:59:59')).toBe(86_399)
    expect(timeOfDay(86_399)).toBe('23:59:59')
    expect(timeOfDay(23_400)).toBe('06:30')
    for (const text of ['24:00', '6:00', '06:60', '06:00:60', '06', '06:00:0', ''])
      expect(parseTimeOfDay(text)).toBeUndefined()
  })
})

describe('periods', () => {
  const around = (day: string, unit: Parameters<typeof periodAround>[1], yearStart?: number): string =>
    periodAround(parseIsoDay(day) as number, unit, yearStart)
      .map(isoDay)
      .join(' ')

  it.each([
    ['2027-03-09', 'week', undefined, '2027-03-08 2027-03-14'],
    ['2027-01-01', 'week', undefined, '2026-12-28 2027-01-03'],
    ['2028-02-10', 'month', undefined, '2028-02-01 2028-02-29'],
    ['2027-03-09', 'quarter', undefined, '2027-01-01 2027-03-31'],
    ['2027-03-09', 'quarter', 2, '2027-02-01 2027-04-30'],
    ['2027-01-09', 'quarter', 2, '2026-11-01 2027-01-31'],
    ['2027-03-31', 'year', 4, '2026-04-01 2027-03-31'],
    ['2027-04-01', 'year', 4, '2027-04-01 2028-03-31'],
    ['2027-04-01', 'month', 4, '2027-04-01 2027-04-30'],
  ] as const)('around %s: the %s from month %s is %s', (day, unit, yearStart, period) => {
    expect(around(day, unit, yearStart)).toBe(period)
  })
})
