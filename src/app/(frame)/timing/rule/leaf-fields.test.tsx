import { fireEvent, screen } from '@testing-library/react'
import { useState, type ReactNode } from 'react'
import { dayRuleSchema, type DayRule } from '@/core/calendar/rule'
import { choose, press, show, type, typeDay } from '@/ui/screen.test-help'
import { RuleEditor } from './rule-editor'

const SERVER = {
  'GET /holidays/countries': [
    { code: 'GB', title: 'United Kingdom' },
    { code: 'NO', title: 'Norway' },
  ],
  'GET /holidays/regions': ({ query }: { query: Record<string, string> }) =>
    query.country === 'GB' ? [{ code: 'SCT', title: 'Scotland' }] : [],
}
/** The editor of a rule; gives the rule as it stands, and sets another one as taking over somebody else's would. */
function edit(initial: DayRule): { rule: () => DayRule; become: (rule: DayRule) => void } {
  let now = initial
  let become: (rule: DayRule) => void = () => undefined
  function Host(): ReactNode {
    const [rule, setRule] = useState(initial)
    now = rule
    become = setRule
    return <RuleEditor rule={rule} onChange={setRule} calendars={[{ slug: 'work', title: 'Working days' }]} />
  }
  show(<Host />, SERVER)
  return {
    rule: () => {
      dayRuleSchema.parse(now)
      return now
    },
    become: (rule) => become(rule),
  }
}

describe('dates', () => {
  it('are added with a name, taken away, and written over by the same day', async () => {
    const { rule } = edit({ dates: ['2027-06-24'] })
    await typeDay('Another date', '2027-12-31')
    type('Its name', 'Stocktaking')
    await press('Add')
    await typeDay('Another date', '2027-06-24')
    type('Its name', 'Regatta')
    await press('Add')
    expect(rule()).toEqual({
      dates: [
        { date: '2027-12-31', title: 'Stocktaking' },
        { date: '2027-06-24', title: 'Regatta' },
      ],
    })
    await press('Take 2027-12-31 away')
    expect(rule()).toEqual({ dates: [{ date: '2027-06-24', title: 'Regatta' }] })
  })

  it('are shown from the newest, the others when asked', async () => {
    edit({ dates: Array.from({ length: 8 }, (_, i) => `2027-01-0${i + 1}`) })
    expect(screen.queryByText('2027-01-03')).toBeNull()
    expect(screen.getByText('2027-01-08')).toBeTruthy()
    await press('Show the 3 before')
    expect(screen.getByText('2027-01-01')).toBeTruthy()
  })
})

describe('a season', () => {
  it('goes from a day to a day of every year', async () => {
    const { rule } = edit({ between: ['04-01', '09-30'] })
    await choose(/From, month/, 'May')
    await choose(/To, day/, '29')
    await choose(/To, month/, 'February')
    expect(rule()).toEqual({ between: ['05-01', '02-29'] })
  })
})

describe('holidays', () => {
  it('are those of a country or a region, of the kinds that are wanted', async () => {
    const { rule } = edit({ holidays: { country: 'GB' } })
    await choose(/Region/, 'Scotland')
    expect(rule()).toEqual({ holidays: { country: 'GB', region: 'SCT' } })
    fireEvent.click(screen.getByRole('checkbox', { name: 'bank' }))
    expect(rule()).toEqual({ holidays: { country: 'GB', region: 'SCT', types: ['public', 'bank'] } })
    fireEvent.click(screen.getByRole('checkbox', { name: 'public' }))
    // One kind at least.
    fireEvent.click(screen.getByRole('checkbox', { name: 'bank' }))
    expect(rule()).toEqual({ holidays: { country: 'GB', region: 'SCT', types: ['bank'] } })
    await choose(/Region/, 'the whole country')
    expect(rule()).toEqual({ holidays: { country: 'GB', types: ['bank'] } })
    await choose(/Country/, 'Norway')
    expect(rule()).toEqual({ holidays: { country: 'NO' } })
  })
})

describe('a recurrence', () => {
  it('stands as it is typed, marked while it is wrong, and said in words when it is right', async () => {
    const { rule } = edit({ rrule: 'FREQ=MONTHLY;BYDAY=2TU', start: '2027-01-01' })
    expect(screen.getByText(/second Tuesday|2nd Tuesday/)).toBeTruthy()
    type('Recurrence', 'FREQ=MONTHLY;BYDAY=')
    expect(rule).toThrow('BYDAY is a list of weekdays')
    expect(screen.getByRole('textbox', { name: 'Recurrence' }).getAttribute('aria-invalid')).toBe('true')
    type('Recurrence', 'FREQ=MONTHLY;BYDAY=1MO')
    expect(rule()).toEqual({ rrule: 'FREQ=MONTHLY;BYDAY=1MO', start: '2027-01-01' })
    await typeDay('counted from', '2027-02-01')
    expect(rule()).toMatchObject({ start: '2027-02-01' })
  })

  it('shows another one when it is taken over', async () => {
    const { become } = edit({ rrule: 'FREQ=DAILY', start: '2027-01-01' })
    const { act } = await import('@testing-library/react')
    act(() => become({ rrule: 'FREQ=WEEKLY', start: '2027-01-01' }))
    expect(screen.getByRole<HTMLInputElement>('textbox', { name: 'Recurrence' }).value).toBe('FREQ=WEEKLY')
  })
})

describe('the n-th, the moved and the shifted', () => {
  it('are changed in place', async () => {
    const { rule } = edit({ nth: { n: 1, of: { weekdays: ['TU'] }, in: 'month' } })
    await choose(/1st/, 'last')
    await choose(/^month/, 'quarter')
    expect(rule()).toMatchObject({ nth: { n: -1, in: 'quarter' } })
    await choose(/Which/, 'another …')
    type('Number', '17')
    expect(rule()).toMatchObject({ nth: { n: -17, in: 'quarter' } })
    await choose(/Counted from/, 'from the beginning')
    expect(rule()).toMatchObject({ nth: { n: 17, in: 'quarter' } })
    await choose(/Which/, '2nd')
    expect(rule()).toMatchObject({ nth: { n: 2, in: 'quarter' } })
    expect(screen.queryByLabelText('Number')).toBeNull()
    const rolled = edit({ roll: { of: { weekdays: ['SU'] }, onto: { calendar: 'work' }, to: 'next' } })
    await choose(/the next/, 'the previous day in it')
    expect(rolled.rule()).toMatchObject({ roll: { to: 'previous' } })
  })
})
