import fc from 'fast-check'
import { someDay, someRule } from './arbitrary.test-help'
import { Calendars } from './calendars'
import { FIRST_DAY, isoDay, LAST_DAY, parseIsoDay } from './days'
import { SHIPPED_HOLIDAYS } from './holiday-data'
import { naiveDays } from './naive.test-help'
import type { DayRule } from './rule'

const day = (text: string): number => parseIsoDay(text) as number

function days(rule: DayRule, from: string, to: string): string[] {
  return new Calendars([], SHIPPED_HOLIDAYS).daysOf(rule).list(day(from), day(to)).map(isoDay)
}
const in2027 = (rule: DayRule): string[] => days(rule, '2027-01-01', '2027-12-31')
const WORK: DayRule = { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] }
const dates = (...list: string[]): DayRule => ({ dates: list })

describe('a compiled day rule', () => {
  it.each([
    [1, 40],
    [2, 6],
  ])('has the days that the rule’s plain reading gives, nested %s deep', (depth, numRuns) => {
    fc.assert(
      fc.property(someRule([], depth), someDay, fc.integer({ min: 0, max: 400 }), (rule, from, length) => {
        const set = new Calendars([], SHIPPED_HOLIDAYS).daysOf(rule)
        const expected = [...naiveDays(rule, from, from + length)].sort((a, b) => a - b)
        expect(set.list(from, from + length)).toEqual(expected)
        expect(set.first(from, from + length)).toBe(expected[0] ?? NaN)
        expect(set.last(from, from + length)).toBe(expected.at(-1) ?? NaN)
      }),
      { numRuns },
    )
  })

  it('gives the same whatever was asked before', () => {
    fc.assert(
      fc.property(someRule([], 2), fc.array(someDay, { minLength: 1, maxLength: 8 }), (rule, asked) => {
        const used = new Calendars([], SHIPPED_HOLIDAYS).daysOf(rule)
        for (const each of asked) used.has(each)
        for (const each of asked)
          expect(used.has(each)).toBe(new Calendars([], SHIPPED_HOLIDAYS).daysOf(rule).has(each))
      }),
      { numRuns: 60 },
    )
  })

  it('ends where the days end', () => {
    const all = new Calendars([], SHIPPED_HOLIDAYS).daysOf({ not: { dates: [] } })
    expect(all.first(-Infinity, Infinity)).toBe(FIRST_DAY)
    expect(all.last(-Infinity, Infinity)).toBe(LAST_DAY)
    expect(days({ shift: { of: dates('9999-12-30'), days: 2 } }, '9999-01-01', '9999-12-31')).toEqual([])
  })
})

describe('simple sets', () => {
  it('may be empty, and everything built on the empty set is computed as usual', () => {
    expect(in2027({ dates: [] })).toEqual([])
    expect(in2027({ nth: { n: 1, of: { dates: [] }, in: 'month' } })).toEqual([])
    expect(in2027({ roll: { of: dates('2027-05-01'), onto: { dates: [] }, to: 'next' } })).toEqual([])
    expect(in2027({ not: { dates: [] } })).toHaveLength(365)
  })

  it('list each date once, ascending', () => {
    expect(in2027(dates('2027-12-31', '2027-05-03', '2027-12-31'))).toEqual(['2027-05-03', '2027-12-31'])
  })

  it.each([
    [['05-15', '05-15'], '2027', ['2027-05-15']],
    [['02-27', '02-29'], '2027', ['2027-02-27', '2027-02-28']],
    [['02-27', '02-29'], '2028', ['2028-02-27', '2028-02-28', '2028-02-29']],
    [['02-29', '03-01'], '2027', ['2027-03-01']],
    [['02-29', '02-29'], '2027', []],
    [['12-30', '01-02'], '2027', ['2027-01-01', '2027-01-02', '2027-12-30', '2027-12-31']],
  ] as const)('between %j in %s: %j', (between, year, expected) => {
    expect(days({ between }, `${year}-01-01`, `${year}-12-31`)).toEqual(expected)
  })

  it('takes the n-th of whole periods, whatever was asked for', () => {
    expect(days({ nth: { n: 1, of: WORK, in: 'month' } }, '2027-03-02', '2027-04-01')).toEqual(['2027-04-01'])
    expect(days({ nth: { n: 6, of: WORK, in: 'week' } }, '2027-01-01', '2027-12-31')).toEqual([])
    expect(days({ nth: { n: -1, of: WORK, in: 'year', yearStart: 4 } }, '2027-01-01', '2028-12-31')).toEqual([
      '2027-03-31',
      '2028-03-31',
    ])
    expect(days({ nth: { n: 366, of: { not: { dates: [] } }, in: 'year' } }, '2027-01-01', '2028-12-31')).toEqual([
      '2028-12-31',
    ])
  })
})

describe('moved days', () => {
  it.each([
    ['2027-05-01', 1, ['2027-05-03']], // Saturday + 1 = Monday
    ['2027-05-02', -1, ['2027-04-30']], // Sunday - 1 = Friday
    ['2027-05-03', 1, ['2027-05-04']],
    ['2027-05-03', 0, ['2027-05-03']],
    ['2027-05-01', 0, []],
  ] as const)('%s moved by %s working days: %j', (from, n, expected) => {
    expect(in2027({ shift: { of: dates(from), days: n, counting: WORK } })).toEqual(expected)
  })

  it('come into the range from far outside', () => {
    expect(days({ shift: { of: dates('2017-01-01'), days: 3660 } }, '2027-01-01', '2027-12-31')).toEqual(['2027-01-09'])
    expect(days({ shift: { of: dates('2036-01-01'), days: -3200 } }, '2027-01-01', '2027-12-31')).toEqual([
      '2027-03-29',
    ])
  })

  it('look no farther than 3,660 days', () => {
    const target = dates('2027-01-10')
    const next = (from: string): string[] => in2027({ roll: { of: dates(from), onto: target, to: 'next' } })
    expect(next('2017-01-02')).toEqual(['2027-01-10'])
    expect(next('2017-01-01')).toEqual([])
    const counted = (from: string): string[] => in2027({ shift: { of: dates(from), days: 1, counting: target } })
    expect(counted('2017-01-02')).toEqual(['2027-01-10'])
    expect(counted('2017-01-01')).toEqual([])
  })

  it('meet and are one', () => {
    expect(in2027({ roll: { of: dates('2027-05-01', '2027-05-02', '2027-05-03'), onto: WORK, to: 'next' } })).toEqual([
      '2027-05-03',
    ])
  })

  it.each([
    ['nearest', '2027-05-01', '2027-04-30'],
    ['nearest', '2027-05-02', '2027-05-03'],
    ['next-in-month', '2027-07-31', '2027-07-30'],
    ['next-in-month', '2027-05-01', '2027-05-03'],
    ['previous', '2027-05-02', '2027-04-30'],
  ] as const)('roll %s from %s to %s', (to, from, expected) => {
    expect(in2027({ roll: { of: dates(from), onto: WORK, to } })).toEqual([expected])
  })

  it('breaks a tie to the later day', () => {
    expect(
      in2027({ roll: { of: dates('2027-05-02'), onto: dates('2027-05-01', '2027-05-03'), to: 'nearest' } }),
    ).toEqual(['2027-05-03'])
  })

  it('goes to the one side that has a member, in whatever month it is', () => {
    expect(in2027({ roll: { of: dates('2027-05-02'), onto: dates('2027-01-01'), to: 'nearest' } })).toEqual([
      '2027-01-01',
    ])
    expect(in2027({ roll: { of: dates('2027-05-02'), onto: dates('2027-01-01'), to: 'next-in-month' } })).toEqual([
      '2027-01-01',
    ])
    expect(in2027({ roll: { of: dates('2027-05-02'), onto: dates('2027-06-01'), to: 'next-in-month' } })).toEqual([])
  })
})

describe('holidays', () => {
  const holidays = (country: string, region?: string): DayRule => ({
    holidays: region ? { country, region } : { country },
  })

  it('are public ones by default, substitute days among them', () => {
    const found = in2027(holidays('GB', 'SCT'))
    expect(found).toContain('2027-01-04')
    expect(found).not.toContain('2027-03-07')
  })

  it('of several days give each', () => {
    expect(days(holidays('SA'), '2027-03-01', '2027-03-31')).toEqual([
      '2027-03-09',
      '2027-03-10',
      '2027-03-11',
      '2027-03-12',
    ])
  })

  it('know regions, and regions of regions, in any case', () => {
    expect(in2027(holidays('de', 'by'))).toEqual(in2027(holidays('DE', 'de-by')))
    expect(in2027(holidays('DE', 'BY-A'))).toContain('2027-08-08')
    expect(in2027(holidays('DE', 'BY'))).not.toContain('2027-08-08')
  })
})

describe('calendars that refer to each other', () => {
  it('are computed once each, however many ways lead to them', () => {
    // Two references from each to the next: 2^60 ways through.
    const calendars = Array.from({ length: 60 }, (_, i) => ({
      id: `c${i}`,
      days:
        i === 59
          ? WORK
          : ({ any: [{ calendar: `c${i + 1}` }, { shift: { of: { calendar: `c${i + 1}` }, days: 7 } }] } as DayRule),
    }))
    const set = new Calendars(calendars, SHIPPED_HOLIDAYS).calendar('c0')
    expect(set.has(day('2027-03-09'))).toBe(true)
    expect(set.has(day('2027-03-07'))).toBe(false)
  })

  it('may form a chain of 500', () => {
    const calendars = Array.from({ length: 500 }, (_, i) => ({
      id: `c${i}`,
      days: i === 499 ? WORK : ({ all: [{ calendar: `c${i + 1}` }, { not: { dates: [] } }] } as DayRule),
    }))
    expect(new Calendars(calendars, SHIPPED_HOLIDAYS).calendar('c0').has(day('2027-03-09'))).toBe(true)
  })

  it('in a loop are told with all their names', () => {
    const calendars = new Calendars(
      [
        { id: 'a', days: { calendar: 'b' } },
        { id: 'b', days: { not: { calendar: 'a' } } },
      ],
      SHIPPED_HOLIDAYS,
    )
    expect(() => calendars.calendar('a')).toThrow('a → b → a')
    expect(() => calendars.calendar('nowhere')).toThrow('There is no calendar nowhere.')
  })
})
