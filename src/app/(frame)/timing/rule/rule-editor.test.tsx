import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { fireEvent, render, screen, within } from '@testing-library/react'
import { useState, type ReactNode } from 'react'
import type { DayRule } from '@/core/calendar/rule'
import { MeProvider, type Me } from '@/ui/hooks/me'
import { RuleActions, RuleEditor } from './rule-editor'

const CALENDARS = [
  { slug: 'working-days', title: 'Working days' },
  { slug: 'dark-days', title: 'Dark days' },
]
const me: Me = {
  id: 1,
  name: 'Moira',
  email: 'moira@marram.example',
  role: 'designer',
  zone: 'Europe/London',
  theme: 'light',
  paceSeconds: 1,
  granted: 'none',
  newTrigger: {},
}

/** The editor with its actions; gives the rule as it stands. */
function setUp(initial: DayRule, counts?: Record<string, number>): () => DayRule {
  let now = initial
  function Host(): ReactNode {
    const [rule, setRule] = useState(initial)
    now = rule
    return (
      <QueryClientProvider client={new QueryClient()}>
        <MeProvider me={me}>
          <RuleEditor rule={rule} onChange={setRule} calendars={CALENDARS} {...(counts ? { counts } : {})} />
          <RuleActions rule={rule} onChange={setRule} calendars={CALENDARS} />
        </MeProvider>
      </QueryClientProvider>
    )
  }
  render(<Host />)
  return () => now
}
const press = (name: string | RegExp): void => {
  fireEvent.click(screen.getAllByRole('button', { name }).at(-1) as HTMLElement)
}
/** What opens comes when it is wanted. */
const sayDays = async (words: string): Promise<void> => {
  fireEvent.change(await screen.findByRole('textbox', { name: 'Say which days' }), { target: { value: words } })
}
async function addInWords(button: string, words: string): Promise<void> {
  press(button)
  await sayDays(words)
  press('Take these')
}
const WEEK: DayRule = { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] }

describe('a rule as sentences', () => {
  it('adds days in words, and takes days away', async () => {
    const rule = setUp(WEEK)
    await addInWords('Add days', 'Saturdays')
    expect(rule()).toEqual({ any: [WEEK, { weekdays: ['SA'] }] })
    await addInWords('Take days away', 'Dark days')
    expect(rule()).toEqual({ all: [{ any: [WEEK, { weekdays: ['SA'] }] }, { not: { calendar: 'dark-days' } }] })
    expect(screen.getByRole('group', { name: /^Take away:/ })).toBeTruthy()
  })

  it('says what it does not understand, and takes nothing then', async () => {
    const rule = setUp(WEEK)
    press('Add days')
    await sayDays('Saturnday')
    expect(screen.getByText(/Saturnday/)).toBeTruthy()
    expect(screen.queryByRole('button', { name: 'Take these' })).toBeNull()
    expect(rule()).toBe(WEEK)
  })

  it('keeps at least one weekday, and one part of a union', () => {
    const rule = setUp({ any: [{ weekdays: ['MO'] }, { calendar: 'dark-days' }] })
    press('Mon')
    expect(rule()).toEqual({ any: [{ weekdays: ['MO'] }, { calendar: 'dark-days' }] })
    press(/^Remove And/)
    expect(rule()).toEqual({ weekdays: ['MO'] })
  })

  it('goes on from the days there are: the last of each month, moved if it falls badly', async () => {
    const rule = setUp({ calendar: 'working-days' })
    press('Go on with these …')
    fireEvent.click(await screen.findByRole('menuitem', { name: 'Only the n-th of each month, quarter …' }))
    expect(rule()).toEqual({ nth: { n: -1, of: { calendar: 'working-days' }, in: 'month' } })
    press('Go on with these …')
    fireEvent.click(await screen.findByRole('menuitem', { name: 'Move a day if it falls badly' }))
    expect(rule()).toMatchObject({ roll: { of: { nth: { n: -1 } }, onto: { calendar: 'working-days' }, to: 'next' } })
  })

  it('shows each part with its days', () => {
    setUp(
      { all: [WEEK, { not: { calendar: 'dark-days' } }] },
      { '': 250, 'all[0]': 261, 'all[1]': 354, 'all[1].not': 11 },
    )
    const all = screen.getAllByRole('group', { name: /^Days: / })
    expect(within(all[0] as HTMLElement).getByText('250 days')).toBeTruthy()
    expect(within(all[1] as HTMLElement).getByText('261 days')).toBeTruthy()
    expect(within(screen.getByRole('group', { name: /^Take away:/ })).getByText('11 days')).toBeTruthy()
  })
})
