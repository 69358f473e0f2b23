import fc from 'fast-check'
import { someDay, someRule } from '../calendar/arbitrary.test-help'
import { Calendars } from '../calendar/calendars'
import { parseIsoDay } from '../calendar/days'
import { SHIPPED_HOLIDAYS } from '../calendar/holiday-data'
import type { DayRule } from '../calendar/rule'
import { explainDay, type Explanation } from './explain'

const CALENDARS = [
  {
    id: 'working-days',
    title: 'Working days',
    days: { all: [{ weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] }, { not: { holidays: { country: 'GB' } } }] } as DayRule,
  },
]

function explain(rule: DayRule, day: string): Explanation {
  return explainDay(rule, parseIsoDay(day) as number, new Calendars(CALENDARS, SHIPPED_HOLIDAYS), CALENDARS)
}

describe('an explanation', () => {
  it('has in each part the verdict that the part really gives', () => {
    fc.assert(
      fc.property(someRule([fc.constant({ calendar: 'working-days' })], 2), someDay, (rule, day) => {
        const context = new Calendars(CALENDARS, SHIPPED_HOLIDAYS)
        const told = explainDay(rule, day, context, CALENDARS)
        expect(told.in).toBe(context.daysOf(rule).has(day))
        const look = (part: Explanation): void => {
          expect(part.says).toMatch(/\.$/)
          if (part.rule === 'any') expect(part.in).toBe(part.parts.some((p) => p.in))
          if (part.rule === 'all') expect(part.in).toBe(part.parts.every((p) => p.in))
          if (part.rule === 'not') expect(part.in).toBe(!part.parts[0]?.in)
          if (part.rule === 'calendar') expect(part.in).toBe(part.parts[0]?.in)
          part.parts.forEach(look)
        }
        look(told)
      }),
      { numRuns: 150 },
    )
  })

  it.each<[DayRule, string, boolean, string]>([
    [{ weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] }, '2027-05-02', false, 'Sun 2 May 2027 is a Sunday; weekdays do not.'],
    [
      { dates: [{ date: '2027-12-31', title: 'Stocktaking' }] },
      '2027-12-31',
      true,
      'Fri 31 Dec 2027 is listed: Stocktaking.',
    ],
    [
      { holidays: { country: 'GB' } },
      '2027-03-26',
      true,
      'Fri 26 Mar 2027 is Good Friday, one of the public holidays of GB.',
    ],
    [
      { nth: { n: -1, of: { calendar: 'working-days' }, in: 'month' } },
      '2027-05-31',
      false,
      'Fri 28 May 2027 is the last of 19 days of its set in May 2027, not Mon 31 May 2027.',
    ],
    [
      { shift: { of: { dates: ['2027-05-03'] }, days: 2 } },
      '2027-05-05',
      true,
      'Mon 3 May 2027 moves 2 days on, onto Wed 5 May 2027.',
    ],
    [
      { shift: { of: { dates: ['2027-05-03'] }, days: -1, counting: { calendar: 'working-days' } } },
      '2027-05-03',
      false,
      'Mon 3 May 2027 itself moves 1 day of working days back, to Fri 30 Apr 2027.',
    ],
    [
      { roll: { of: { dates: ['2027-05-01'] }, onto: { calendar: 'working-days' }, to: 'next' } },
      '2027-05-04',
      true,
      'Sat 1 May 2027 does not lie in working days, so it moves to Tue 4 May 2027.',
    ],
    [
      { rrule: 'FREQ=MONTHLY;BYDAY=2TU', start: '2027-01-01' },
      '2027-03-10',
      false,
      'Wed 10 Mar 2027 is none of the days every month on the 2nd Tuesday counted from 2027-01-01; the nearest are Tue 9 Mar 2027 and Tue 13 Apr 2027.',
    ],
  ])('%j on %s', (rule, day, isIn, says) => {
    expect(explain(rule, day)).toMatchObject({ in: isIn, says })
  })
})
