import fc from 'fast-check'
import { Calendars } from '../calendar/calendars'
import { SHIPPED_HOLIDAYS } from '../calendar/holiday-data'
import { isoDay, parseIsoDay, type Day } from '../calendar/days'
import { dayBy, dayDefaultSchema, type DayDefault } from './day-defaults'
import { defaultWords, inputSchema } from './inputs'

const calendars = new Calendars(
  [
    { id: 'weekends', days: { weekdays: ['SA', 'SU'] } },
    { id: 'once', days: { dates: ['2027-03-09'] } },
  ],
  SHIPPED_HOLIDAYS,
)
const calendar = (id: string): ReturnType<typeof calendars.calendar> | undefined =>
  calendars.find(id) && calendars.calendar(id)
const on = (day: string, source: DayDefault): string | undefined => dayBy(source, parseIsoDay(day) as Day, calendar)

describe('a day by default', () => {
  it.each([
    [{ day: 'today' }, '2027-03-01'],
    [{ day: 'yesterday' }, '2027-02-28'],
    [{ day: 'tomorrow' }, '2027-03-02'],
    [{ day: 'next', calendar: 'weekends' }, '2027-03-06'],
    [{ day: 'last', calendar: 'weekends' }, '2027-02-28'],
    [{ day: 'next', calendar: 'once' }, '2027-03-09'],
    [{ day: 'last', calendar: 'once' }, undefined],
    [{ day: 'next', calendar: 'gone' }, undefined],
  ] as const)('%j in a run of 2027-03-01 is %s', (source, expected) => {
    expect(on('2027-03-01', source)).toBe(expected)
  })

  it('is never the run’s own day, and the nearest there is', () => {
    fc.assert(
      fc.property(fc.integer({ min: 15_000, max: 30_000 }), fc.constantFrom('next', 'last'), (day, side) => {
        const step = side === 'next' ? 1 : -1
        let naive = day + step
        while (!calendar('weekends')?.has(naive)) naive += step
        expect(dayBy({ day: side, calendar: 'weekends' }, day, calendar)).toBe(isoDay(naive))
      }),
    )
  })

  it('is read strictly, stands only where a day does, and has words', () => {
    expect(dayDefaultSchema.safeParse({ day: 'next' }).success).toBe(false)
    expect(dayDefaultSchema.safeParse({ day: 'today', calendar: 'weekends' }).success).toBe(false)
    const wrong = inputSchema.safeParse({ name: 'x', type: 'text', default: { day: 'today' } })
    expect(wrong.error?.issues[0]?.message).toBe('Only a day has such a default.')
    expect(inputSchema.safeParse({ name: 'x', type: 'day', default: { day: 'today' }, ask: false }).success).toBe(true)
    expect(defaultWords({ day: 'last', calendar: 'weekends' })).toBe('the last day of weekends')
  })
})
