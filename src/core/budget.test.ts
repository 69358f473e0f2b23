import { spend, TooMuch, within } from './budget'
import { Timings } from './bundle/timings'
import { Calendars } from './calendar/calendars'
import { SHIPPED_HOLIDAYS } from './calendar/holiday-data'
import type { DayRule } from './calendar/rule'
import type { TimeRule } from './timing/rule'

const all = (n: number): string => Array.from({ length: n }, (_, i) => i).join(',')
const EVERY_SECOND = `BYHOUR=${all(24)};BYMINUTE=${all(60)};BYSECOND=${all(60)}`
const FROM = Date.UTC(2027, 6, 5) / 1000
const YEARS = 5 * 366 * 86_400

const scheduleOf = (time: TimeRule): ReturnType<Timings['schedule']> =>
  new Timings([], SHIPPED_HOLIDAYS, 'UTC').schedule({ time })
const firstOf = (time: TimeRule, most: number): string[] =>
  within(most, () =>
    scheduleOf(time)
      .between(FROM, FROM + YEARS, 3)
      .map(({ at }) => new Date(at * 1000).toISOString()),
  )

describe('a budget', () => {
  it('ends what takes more, with a sentence that names it', () => {
    expect(() => within(1000, () => spend(1001))).toThrow(TooMuch)
    expect(() => within(1000, () => spend(1001))).toThrow('more than 1,000 steps')
    expect(within(1000, () => (spend(1000), 'done'))).toBe('done')
  })

  it('holds for what is done inside only, and an inner one is part of it', () => {
    spend(1e12)
    within(100, () => {
      within(1000, () => spend(60))
      expect(() => within(1000, () => spend(60))).toThrow('more than 40 steps')
      expect(() => spend(1)).toThrow(TooMuch)
    })
    spend(1e12)
  })
})

describe('a recurrence', () => {
  // 31,622,400 times in a year, of which one is asked for.
  it('chooses from a full year of seconds without writing them down', () => {
    expect(
      firstOf(
        {
          rrule: `FREQ=YEARLY;BYMONTH=${'1,2,3,4,5,6,7,8,9,10,11,12'};BYDAY=MO,TU,WE,TH,FR,SA,SU;${EVERY_SECOND};BYSETPOS=-1`,
          start: '2026-01-01T00:00',
        },
        20_000,
      ),
    ).toEqual(['2027-12-31T23:59:59.000Z', '2028-12-31T23:59:59.000Z', '2029-12-31T23:59:59.000Z'])
    expect(
      firstOf({ rrule: `FREQ=MONTHLY;BYDAY=MO,TU;${EVERY_SECOND};BYSETPOS=-1,2`, start: '2027-01-01T00:00' }, 20_000),
    ).toEqual(['2027-07-05T00:00:01.000Z', '2027-07-27T23:59:59.000Z', '2027-08-02T00:00:01.000Z'])
  })

  it('counts to its end without writing down what it counts', () => {
    const count = 40 * 86_400 + 5
    for (const rule of [`FREQ=DAILY;${EVERY_SECOND};COUNT=${count}`, `FREQ=SECONDLY;COUNT=${count}`]) {
      const schedule = scheduleOf({ rrule: rule, start: '2027-06-01T00:00' })
      const last = Date.UTC(2027, 6, 11, 0, 0, 4) / 1000
      const found = within(20_000, () => schedule.between(last - 1, last + YEARS))
      expect(found.map(({ at }) => at)).toEqual([last - 1, last])
    }
  })

  it('gives no more than it is asked for', () => {
    for (const time of [
      { rrule: 'FREQ=SECONDLY', start: '1900-01-01T00:00' },
      { rrule: `FREQ=DAILY;${EVERY_SECOND}`, start: '1900-01-01T00:00' },
      { every: { step: 'PT1S' } },
    ])
      expect(firstOf(time, 2000)).toHaveLength(3)
  })

  it('that never comes ends the search with a sentence', () => {
    const never = {
      rrule: `FREQ=SECONDLY;INTERVAL=86400;BYSECOND=${all(60)};BYMINUTE=${all(60)};BYHOUR=5`,
      start: '2026-01-01T04:00',
    }
    expect(firstOf(never, 1_000_000)).toEqual([])
    const slowly = {
      rrule: `FREQ=SECONDLY;INTERVAL=43201;BYSECOND=0;BYMINUTE=${all(60)};BYHOUR=5,6,7,8;BYMONTH=2;BYMONTHDAY=30`,
      start: '2026-01-01T04:00',
    }
    expect(firstOf(slowly, 1_000_000)).toEqual([])
    expect(() =>
      firstOf(
        {
          rrule: `FREQ=SECONDLY;INTERVAL=7;BYSECOND=1,2,3,4,5,6;BYMINUTE=${all(60)};BYHOUR=${all(24)}`,
          start: '2026-01-01T04:00:00',
        },
        100,
      ),
    ).toThrow(TooMuch)
  })

  it('of too many characters is refused before it is read', () => {
    const schedule = { rrule: `FREQ=DAILY;BYHOUR=${'1,'.repeat(20_000)}2`, start: '2026-01-01T04:00' }
    expect(() => scheduleOf(schedule)).toThrow('unchecked')
  })
})

describe('a calendar', () => {
  it('of a great many parts ends with a sentence, and is none the worse for it', () => {
    const rule: DayRule = {
      any: Array.from({ length: 500 }, (_, i) => ({
        rrule: `FREQ=YEARLY;BYYEARDAY=${(i % 365) + 1}`,
        start: '2020-01-01',
      })),
    }
    const days = new Calendars([], SHIPPED_HOLIDAYS).daysOf(rule)
    const at = Math.floor(FROM / 86_400)
    expect(() => within(10_000, () => days.count(at, at + 365))).toThrow(TooMuch)
    expect(within(10_000_000, () => days.count(at, at + 364))).toBe(365)
  })
})
