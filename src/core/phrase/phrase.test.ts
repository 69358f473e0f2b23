import fc from 'fast-check'
import { Timings } from '../bundle/timings'
import { someRule } from '../calendar/arbitrary.test-help'
import { isoDay } from '../calendar/days'
import { SHIPPED_HOLIDAYS } from '../calendar/holiday-data'
import type { DayRule } from '../calendar/rule'
import { parseInstant } from '../timing/instants'
import type { TimeRule } from '../timing/rule'
import { PhraseFault, readPhrase, type PhraseRule } from './read'
import { readDaySet } from './read-set'
import { say, type Sayable } from './say'

const CALENDARS = [
  { id: 'working-days', title: 'Working days', days: { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] } as DayRule },
  {
    id: 'month-end',
    title: 'Month-end close',
    days: { nth: { n: -1, of: { calendar: 'working-days' }, in: 'month' } } as DayRule,
  },
  { id: 'office-holidays', title: 'Office holidays', days: { dates: ['2027-05-31'] } as DayRule },
  { id: 'dark-days', days: { between: ['12-25', '12-26'] } as DayRule },
]
const at = (text: string): number => parseInstant(text) as number

function occurrences({ time, on, notOn }: Sayable, from = '2027-03-01T00:00:00Z', to = '2027-04-05T00:00:00Z'): string {
  return new Timings(CALENDARS, SHIPPED_HOLIDAYS, 'Europe/London')
    .schedule({ time, on, notOn })
    .between(at(from), at(to), 3000)
    .map((o) => `${o.at} ${o.day}`)
    .join()
}

const daily = (n: number): DayRule => ({
  nth: { n, of: { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR', 'SA', 'SU'] }, in: 'month' },
})
const WORKDAYS = { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] }

describe('a phrase is read', () => {
  it.each<[string, Partial<PhraseRule>]>([
    [
      'last working day of the month at 18:30',
      { time: { at: ['18:30'] }, on: { nth: { n: -1, of: { calendar: 'working-days' }, in: 'month' } } },
    ],
    [
      'Every 15 Minutes between 6:00 and 22:00 on weekdays',
      { time: { every: { step: 'PT15M', from: '06:00', until: '22:00' } }, on: WORKDAYS as DayRule },
    ],
    ['every 2 hours from 6 to 22', { time: { every: { step: 'PT2H', from: '06:00', until: '22:00' } } }],
    ['weekdays at 5pm and 9:30 pm', { time: { at: ['17:00', '21:30'] }, on: WORKDAYS as DayRule }],
    ['noon every day', { time: { at: ['12:00'] } }],
    ['each Monday at 12am', { time: { at: ['00:00'] }, on: { weekdays: ['MO'] } }],
    ['Mondays at 12 p.m.', { time: { at: ['12:00'] }, on: { weekdays: ['MO'] } }],
    ['midnight on the 31st', { time: { at: ['00:00'] }, on: daily(31) }],
    ['on the 1st and 15th at 06:00', { time: { at: ['06:00'] }, on: { any: [daily(1), daily(15)] } }],
    ['Mon-Fri 07:15', { time: { at: ['07:15'] }, on: WORKDAYS as DayRule }],
    ['Friday to Monday at 07:15', { time: { at: ['07:15'] }, on: { weekdays: ['MO', 'FR', 'SA', 'SU'] } }],
    ['every hour', { time: { every: { step: 'PT1H' } } }],
    ['every second hour', { time: { every: { step: 'PT2H' } } }],
    ['every second', { time: { every: { step: 'PT1S' } } }],
    ['every 90 minutes from 22:00 to 6:00', { time: { every: { step: 'PT1H30M', from: '22:00', until: '06:00' } } }],
    [
      'every other week on Monday at 17:00',
      { time: { at: ['17:00'] }, on: { rrule: 'FREQ=WEEKLY;INTERVAL=2;BYDAY=MO', start: '2024-01-01' } },
    ],
    [
      'every second week on Fridays at 9:00',
      { time: { at: ['09:00'] }, on: { rrule: 'FREQ=WEEKLY;INTERVAL=2;BYDAY=FR', start: '2024-01-01' } },
    ],
    [
      'every second Tuesday of the month at 9:00',
      { time: { at: ['09:00'] }, on: { nth: { n: 2, of: { weekdays: ['TU'] }, in: 'month' } } },
    ],
    ['every 3 days at 07:00', { time: { at: ['07:00'] }, on: { rrule: 'FREQ=DAILY;INTERVAL=3', start: '2024-01-01' } }],
    [
      'every other month on the 15th at 07:00',
      { time: { at: ['07:00'] }, on: { rrule: 'FREQ=MONTHLY;INTERVAL=2;BYMONTHDAY=15', start: '2024-01-01' } },
    ],
    [
      'first Tuesday of each quarter at noon',
      { time: { at: ['12:00'] }, on: { nth: { n: 1, of: { weekdays: ['TU'] }, in: 'quarter' } } },
    ],
    [
      'quarterly on the last working day at 18:00',
      { time: { at: ['18:00'] }, on: { nth: { n: -1, of: { calendar: 'working-days' }, in: 'quarter' } } },
    ],
    [
      'second to last day of the year at 9:00',
      { on: { nth: { n: -2, of: daily(1) && { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR', 'SA', 'SU'] }, in: 'year' } } },
    ],
    ['daily at 17:00 except on Office holidays', { time: { at: ['17:00'] }, notOn: { calendar: 'office-holidays' } }],
    [
      'daily at 17:00 except Sundays and dark days',
      { notOn: { any: [{ weekdays: ['SU'] }, { calendar: 'dark-days' }] } },
    ],
    ['Mondays at 9:00 but not in December', { on: { weekdays: ['MO'] }, notOn: { between: ['12-01', '12-31'] } }],
    ['Month-end close at 18:30', { on: { calendar: 'month-end' } }],
    ['on month-end days at 18:30', { on: { calendar: 'month-end' } }],
    [
      '2 working days before the last day of the month at 12:00',
      { on: { shift: { of: daily(-1), days: -2, counting: { calendar: 'working-days' } } } },
    ],
    ['24 December at noon', { on: { between: ['12-24', '12-24'] } }],
    ['15 May to 30 September at noon', { on: { between: ['05-15', '09-30'] } }],
    ['weekdays in June at 9:00', { on: { all: [WORKDAYS as DayRule, { between: ['06-01', '06-30'] }] } }],
    ['at 15 past every hour', { time: { cron: '15 * * * *' } }],
    [
      'weekdays, public holidays of GB-SCT and 2027-05-03 at 9:00',
      { on: { any: [WORKDAYS as DayRule, { dates: ['2027-05-03'] }, { holidays: { country: 'GB', region: 'SCT' } }] } },
    ],
  ])('%s', (text, expected) => {
    expect(readPhrase(text, CALENDARS)).toMatchObject(expected)
  })

  it('without days that were not spoken of', () => {
    expect(readPhrase('daily at 17:00')).toEqual({ time: { at: ['17:00'] } })
  })
})

describe('a phrase is refused, with its place', () => {
  const fault = (text: string): PhraseFault => {
    try {
      readPhrase(text, CALENDARS)
    } catch (error) {
      if (error instanceof PhraseFault) return error
      throw error
    }
    throw new Error(`“${text}” was understood.`)
  }

  it.each([
    ['', 0, 'Say when'],
    ['weekdays', 8, 'time of day is missing'],
    ['daily', 5, 'time of day is missing'],
    ['at 5 on Mondays', 3, '5am or 5pm'],
    ['at 17', 3, 'write 17:00'],
    ['at 25:00', 3, '25:00'],
    ['at 13pm', 3, '13pm'],
    ['at 17:00 on wrokdays', 12, '“workdays”'],
    ['evry day at 17:00', 0, '“every”'],
    ['at 17:00 on Mondys', 12, '“Mondays”'],
    ['first Monday at 9:00', 0, 'first Monday of the month'],
    ['monthly at 9:00', 15, 'first day of the month'],
    ['weekly at 9:00', 14, 'on Mondays'],
    ['tomorrow at 9:00', 0, 'not understood'],
    ['at 9:00 and every 5 minutes', 12, 'two triggers'],
    ['every 1.5 hours', 6, 'every 90 minutes'],
    ['every 0 minutes', 0, 'from one second'],
    ['every 25 hours', 0, 'to 24 hours'],
    ['biweekly on Monday at 9:00', 0, 'two meanings'],
    ['holidays at 9:00', 9, 'Of which country'],
    ['public holidays of XX at 9:00', 19, 'XX'],
    ['31 June at 9:00', 0, 'no day'],
    ['on 2027-02-30 at 9:00', 3, 'not a day'],
    ['every 10 minutes between 6 and 25', 31, '0 to 23'],
    ['at 17:00 every day please', 19, 'please'],
  ])('%s', (text, place, said) => {
    const { at: where, message } = fault(text)
    expect({ where, message }).toEqual({ where: place, message: expect.stringContaining(said) as string })
  })

  it('working days without the calendar of that name', () => {
    expect(() => readPhrase('last working day of the month at 18:30')).toThrow('working-days')
  })
})

describe('a set of days in words', () => {
  it.each<[string, DayRule]>([
    ['weekdays', WORKDAYS as DayRule],
    ['on the 1st and 15th', { any: [daily(1), daily(15)] }],
    [
      'weekdays except office holidays and 2027-05-03',
      { all: [WORKDAYS as DayRule, { not: { any: [{ dates: ['2027-05-03'] }, { calendar: 'office-holidays' }] } }] },
    ],
    ['15 May to 30 September', { between: ['05-15', '09-30'] }],
    ['in August', { between: ['08-01', '08-31'] }],
    ['Fridays except in August', { all: [{ weekdays: ['FR'] }, { not: { between: ['08-01', '08-31'] } }] }],
  ])('%s', (text, expected) => expect(readDaySet(text, CALENDARS)).toEqual(expected))

  it.each(['', 'weekdays at 17:00', 'wrokdays', 'weekdays except'])('“%s” is none', (text) => {
    expect(() => readDaySet(text, CALENDARS)).toThrow(PhraseFault)
  })

  it('names the word that is not understood, and the nearest one', () => {
    expect(() => readDaySet('wekdays', CALENDARS)).toThrow('“wekdays” is not understood here. Did you mean “weekdays”?')
    expect(() => readDaySet('weekdays except Saturnday', CALENDARS)).toThrow(/“Saturnday” .*“saturday”/i)
  })
})

describe('a rule’s sentence', () => {
  const calendar = fc.constantFrom(...CALENDARS).map(({ id }): DayRule => ({ calendar: id }))
  const recurrence = fc
    .constantFrom(
      'FREQ=MONTHLY;BYDAY=2TU,-1FR',
      'FREQ=WEEKLY;INTERVAL=2;BYDAY=MO,WE;WKST=SU',
      'FREQ=YEARLY;BYWEEKNO=10,-40;BYDAY=FR',
      'FREQ=DAILY;COUNT=40',
      'FREQ=YEARLY;BYYEARDAY=70,-290',
      'FREQ=MONTHLY;BYMONTHDAY=1,-3;BYMONTH=3,4',
      'FREQ=MONTHLY;BYDAY=MO,TU;BYSETPOS=1,-2;UNTIL=20270320',
    )
    .map((rrule): DayRule => ({ rrule, start: '2027-02-24' }))
  const time = fc.constantFrom('00:00', '01:30', '06:15', '17:00', '23:59:30')
  const times: fc.Arbitrary<TimeRule> = fc.oneof(
    fc.uniqueArray(time, { minLength: 1, maxLength: 3 }).map((list) => ({ at: list })),
    fc
      .tuple(
        fc.constantFrom('PT15M', 'PT1H', 'PT2H30M', 'PT45S', 'P1D', 'PT1H0M30S'),
        fc.option(time, { nil: undefined }),
        fc.option(time, { nil: undefined }),
      )
      .map(([step, from, until]) => ({ every: { step, ...(from ? { from } : {}), ...(until ? { until } : {}) } })),
    fc
      .constantFrom(
        '*/15 6-22 * * 1-5',
        '0 */2 * * *',
        '30 1 1,15 * *',
        '5 * * 3 MON',
        '* * 13 * 5',
        '0,7 1,5,9-14 * 1-4 *',
        '10 *,6 * * *',
      )
      .map((cron) => ({ cron })),
    fc
      .constantFrom(
        'FREQ=WEEKLY;BYDAY=MO,WE;BYHOUR=6,18',
        'FREQ=HOURLY;INTERVAL=5;BYMINUTE=0,30',
        'FREQ=DAILY;COUNT=4;BYSECOND=10',
        'FREQ=MINUTELY;INTERVAL=40;BYHOUR=1,2;UNTIL=20270315T010000Z',
        'FREQ=MONTHLY;BYDAY=MO;BYHOUR=1,2;BYSETPOS=2,-1;UNTIL=20270330T010000',
      )
      .map((rrule) => ({ rrule, start: '2027-03-01T01:30' })),
  )
  const rule = someRule([calendar, recurrence], 2)

  it('read back gives the same occurrences', () => {
    fc.assert(
      fc.property(
        times,
        fc.option(rule, { nil: undefined }),
        fc.option(rule, { nil: undefined, freq: 2 }),
        (timeRule, on, notOn) => {
          const sayable: Sayable = { time: timeRule, on, notOn }
          const said = say(sayable, CALENDARS)
          let read: Sayable
          try {
            read = readPhrase(said, CALENDARS)
          } catch (error) {
            throw new Error(`“${said}”: ${(error as Error).message}`)
          }
          expect({ said, found: occurrences(read) }).toEqual({ said, found: occurrences(sayable) })
        },
      ),
      { numRuns: 400 },
    )
  })

  it.each<[Sayable, string]>([
    [{ time: { at: ['21:30', '17:00'] }, on: WORKDAYS as DayRule }, 'at 17:00 and 21:30 on weekdays'],
    [{ time: { every: { step: 'PT15M', from: '06:00', until: '22:00' } } }, 'every 15 minutes between 06:00 and 22:00'],
    [{ time: { at: ['18:30'] }, on: { calendar: 'month-end' } }, 'at 18:30 on “Month-end close” days'],
    [{ time: { cron: '*/15 6-22 * * 1-5' } }, 'at minutes 0, 15, 30 and 45 of the hours 6 to 22 on weekdays'],
    [{ time: { at: ['09:00'] }, on: { between: ['06-01', '06-30'] } }, 'at 09:00 in June'],
    [
      { time: { at: ['12:00'] }, on: { shift: { of: daily(-1), days: -2, counting: { calendar: 'working-days' } } } },
      'at 12:00, 2 working days before the last day of the month',
    ],
    [{ time: { at: ['17:00'] }, notOn: { weekdays: ['SU'] } }, 'at 17:00 every day, never on Sundays'],
  ])('%j is plain', (sayable, expected) => {
    expect(say(sayable, CALENDARS)).toBe(expected)
  })

  it('names the next day where every other one is meant', () => {
    const { time: timeRule, on } = readPhrase('every other Monday at 17:00')
    const next = (): string => isoDay(20_787)
    expect(say({ time: timeRule, on }, [], next)).toBe(
      'at 17:00 every 2 weeks on Monday counted from 2024-01-01 (next 2026-11-30)',
    )
    expect(readPhrase(say({ time: timeRule, on }, [], next))).toEqual({ time: timeRule, on })
  })
})
