import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import type { DayRule } from '@/core/calendar/rule'
import { CalendarCalculator } from '@/core/phrase/calendar-calculator'
import type { CalendarRow } from '@/service/timing/calendars'
import { changesOf, choose, No, press, show, type, type Asked } from '@/ui/screen.test-help'
import { CalendarEditor } from './calendar-editor'
import { contentOf } from './content'
import type { Calculator } from './use-calculator'

const calendar = (id: number, slug: string, title: string, rule: DayRule): CalendarRow => ({
  id,
  slug,
  title,
  notes: '',
  rule,
  version: 2,
  holidays: null,
  savedBy: 'Ines Aldaya',
  savedAt: '2026-11-01T00:00:00Z',
  isSubscribed: false,
  daysThisYear: 0,
  nextDay: '2027-01-04',
  triggers: 2,
})
const WEEK: DayRule = { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] }
const OFF: DayRule = { dates: [{ date: '2027-05-03', title: 'Early May' }, '2027-12-27'] }
const CALENDARS = [
  calendar(1, 'week', 'Week', { all: [WEEK, { not: { calendar: 'off' } }] }),
  calendar(2, 'off', 'Office holidays', OFF),
  calendar(3, 'market', 'Market days', {
    roll: { of: { dates: ['2027-05-03', '2027-06-01'] }, onto: { calendar: 'week' }, to: 'next' },
  }),
]
/** The real computation, here instead of in a worker. */
function calculator(): Calculator {
  const real = new CalendarCalculator()
  real.know(CALENDARS)
  const worker = {
    year: async (...args: Parameters<CalendarCalculator['year']>) => real.year(...args),
    explain: async (...args: Parameters<CalendarCalculator['explain']>) => real.explain(...args),
  }
  return { worker: worker as unknown as Calculator['worker'], edition: 1 }
}
const SERVER = {
  'GET /calendars/1/uses': [
    { kind: 'trigger', id: 7, title: 'Close of day', nextAt: '2027-03-09T18:00:00Z', isIndirect: false },
    { kind: 'calendar', id: 3, title: 'Market days', nextAt: null, isIndirect: true },
  ],
  'GET /calendars/3/uses': [],
  'PUT /calendars/1': { version: 3 },
  'POST /calendars/preview': {
    looked: 2,
    triggers: [{ id: 7, title: 'Close of day', changes: { added: ['2027-05-03T18:00:00Z'], dropped: [], moved: [] } }],
  },
  'POST /calendars': { id: 9 },
}
function edit(which: CalendarRow | null, at: string, more: object = {}): Asked[] {
  return show(
    <CalendarEditor
      calendar={which}
      initial={which ? contentOf(which) : { title: '', notes: '', rule: WEEK }}
      calendars={CALENDARS}
      calculator={calculator()}
      today="2027-03-09"
    />,
    { ...SERVER, ...more },
    { at },
  )
}
/** By its label alone: roles of hundreds of buttons take jsdom seconds. */
const dayButton = (name: RegExp): Promise<HTMLElement> => screen.findByLabelText(name)

describe('a calendar’s year', () => {
  it('shows days in it, and says of each whether and why', async () => {
    edit(CALENDARS[0] as CalendarRow, '/timing/calendars/1?year=2027')
    expect((await dayButton(/^Tue 9 March 2027: in the calendar|Tue 9 Mar/)).dataset.in).toBe('true')
    expect((await dayButton(/ 3 May 2027: not in it/)).dataset.in).toBe('false')
    expect(screen.getByText(/^259 days in 2027/)).toBeTruthy()
    fireEvent.click(await dayButton(/ 3 May 2027/))
    const answer = (await screen.findByText('is not in it')).closest('[role=status]') as HTMLElement
    expect(window.location.search).toContain('day=2027-05-03')
    const parts = within(answer)
      .getAllByRole('listitem')
      .map((item) => [item.dataset.in, item.querySelector('p')?.textContent])
    expect(parts).toEqual([
      ['true', 'yes: Mon 3 May 2027 is a Monday; weekdays take it in.'],
      ['false', 'no: Mon 3 May 2027 is in what is taken away, so it is not in.'],
      ['true', 'yes: Mon 3 May 2027 is in the calendar Office holidays.'],
      ['true', 'yes: Mon 3 May 2027 is listed: Early May.'],
    ])
  })

  it('shows days moved away from, with where to', async () => {
    edit(CALENDARS[2] as CalendarRow, '/timing/calendars/3?year=2027')
    expect((await dayButton(/ 3 May 2027: not in it; moved to .*4 May/)).dataset.moved).toBe('true')
    expect((await dayButton(/ 4 May 2027: in the calendar/)).dataset.in).toBe('true')
    expect(screen.getByText('Used by nothing yet')).toBeTruthy()
  })

  it('is gone through by keyboard', async () => {
    edit(CALENDARS[0] as CalendarRow, '/timing/calendars/1?year=2027')
    const start = await dayButton(/ 9 Mar\w* 2027/)
    expect(start.tabIndex).toBe(0)
    start.focus()
    const at = (): string | undefined => (document.activeElement as HTMLElement).dataset.day
    const path: [string, string][] = [
      ['ArrowRight', '2027-03-10'],
      ['ArrowDown', '2027-03-17'],
      ['PageDown', '2027-04-17'],
      ['End', '2027-04-30'],
      ['Home', '2027-04-01'],
      ['ArrowLeft', '2027-03-31'],
      ['PageUp', '2027-02-28'],
      ['ArrowUp', '2027-02-21'],
    ]
    for (const [key, day] of path) {
      fireEvent.keyDown(document.activeElement as HTMLElement, { key })
      expect([key, at()]).toEqual([key, day])
    }
  })

  it('goes to other years', async () => {
    edit(CALENDARS[0] as CalendarRow, '/timing/calendars/1?year=2027')
    await screen.findByText(/^259 days in 2027/)
    await press('The year 2028')
    expect(await screen.findByText(/^260 days in 2028/)).toBeTruthy()
  })
})

describe('two compared', () => {
  it('calendars over one year: in both, only in the one, only in the other', async () => {
    edit(CALENDARS[0] as CalendarRow, '/timing/calendars/1?year=2027')
    await choose(/Compare with/, 'Office holidays')
    expect(await screen.findByText(/in both: 0/)).toBeTruthy()
    expect(screen.getByText(/only in Week: 259/)).toBeTruthy()
    expect(screen.getByText(/only in Office holidays: 2/)).toBeTruthy()
    expect((await dayButton(/ 3 May 2027: only in Office holidays/)).dataset.mark).toBe('other')
  })

  it('years of one calendar, month by month', async () => {
    edit(CALENDARS[0] as CalendarRow, '/timing/calendars/1?year=2027&with=year')
    const table = await screen.findByRole('table')
    const rows = within(table)
      .getAllByRole('row')
      .map((row) => row.textContent)
    expect(rows[1]).toMatch(/^2026.*261$/)
    expect(rows[2]).toMatch(/^2027.*259$/)
  })
})

describe('a rule being changed', () => {
  it('shows at once what the year becomes, and what would start otherwise, before it is saved', async () => {
    const asked = edit(CALENDARS[0] as CalendarRow, '/timing/calendars/1?year=2027')
    await screen.findByText(/^259 days in 2027/)
    await press('Add days')
    await screen.findByRole('textbox', { name: 'Say which days' })
    type('Say which days', 'Saturdays')
    await press('Take these')
    expect(await screen.findByText(/^311 days in 2027/)).toBeTruthy()
    expect(await screen.findByText('Saving this changes 1 trigger of 2')).toBeTruthy()
    expect(asked.some(({ what }) => what.startsWith('PUT'))).toBe(false)
    await press('Save')
    await screen.findByText('Week is saved.')
    expect(changesOf(asked).at(-1)).toMatchObject({
      what: 'PUT /calendars/1',
      body: { title: 'Week', version: 2, rule: { any: [CALENDARS[0]?.rule, { weekdays: ['SA'] }] } },
    })
  })

  it('says what it bears on', async () => {
    edit(CALENDARS[0] as CalendarRow, '/timing/calendars/1')
    expect((await screen.findByRole('link', { name: 'Close of day' })).closest('li')?.textContent).toMatch(/9 Mar/)
    expect(screen.getByText('indirectly')).toBeTruthy()
  })

  it('needs a title when it is new, and opens once it is made', async () => {
    const asked = edit(null, '/timing/calendars/new')
    await press('Save')
    expect(await screen.findByText('A calendar needs a title.')).toBeTruthy()
    type('Title', 'Ebb days')
    await press('Save')
    await waitFor(() => expect(window.location.pathname).toBe('/timing/calendars/9'))
    expect(changesOf(asked).at(-1)?.body).toEqual({ title: 'Ebb days', notes: '', rule: WEEK })
  })

  it('says why it cannot be removed', async () => {
    edit(CALENDARS[0] as CalendarRow, '/timing/calendars/1', {
      'DELETE /calendars/1': new No(409, { detail: 'Close of day stands on it.' }),
    })
    await press('Remove')
    await press('Remove it')
    expect(await screen.findByText('Close of day stands on it.')).toBeTruthy()
  })
})
