import { SHIPPED_HOLIDAYS } from './holiday-data'
import type { DayRule } from './rule'
import { yearView } from './year'

const WORKING: DayRule = {
  all: [{ weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] }, { not: { holidays: { country: 'GB', region: 'SCT' } } }],
}
const CALENDARS = [{ id: 'working-days', days: WORKING }]

describe('a year of a rule', () => {
  const close: DayRule = {
    roll: {
      of: { nth: { n: -1, of: { calendar: 'working-days' }, in: 'month' } },
      onto: { all: [{ calendar: 'working-days' }, { not: { between: ['04-19', '04-30'] } }] },
      to: 'next-in-month',
    },
  }

  it('has the days in, the days moved away from, and where to', () => {
    const view = yearView(close, 2027, CALENDARS, SHIPPED_HOLIDAYS)
    expect(view.days).toHaveLength(12)
    expect(view.days).toContain('2027-04-16')
    expect(view.moved).toEqual([{ from: '2027-04-30', to: '2027-04-16' }])
  })

  it('counts each part of the rule by its path', () => {
    const view = yearView(close, 2027, CALENDARS, SHIPPED_HOLIDAYS)
    expect(view.counts).toMatchObject({ '': 12, 'roll.of': 12, 'roll.onto.all[1].not': 12 })
    expect(view.counts['roll.of.nth.of']).toBe(view.counts['roll.onto.all[0]'])
  })

  it('names the holidays behind it, also those of calendars that it refers to', () => {
    expect(yearView(close, 2027, CALENDARS, SHIPPED_HOLIDAYS).holidays).toContainEqual({
      day: '2027-12-28',
      name: 'Boxing Day (substitute day)',
    })
    expect(yearView({ weekdays: ['MO'] }, 2027, CALENDARS, SHIPPED_HOLIDAYS).holidays).toEqual([])
  })

  it('says of a day that is moved nowhere that it goes nowhere', () => {
    const view = yearView(
      { roll: { of: { dates: ['2027-05-01'] }, onto: { dates: [] }, to: 'next' } },
      2027,
      [],
      SHIPPED_HOLIDAYS,
    )
    expect(view.moved).toEqual([{ from: '2027-05-01', to: null }])
  })
})
