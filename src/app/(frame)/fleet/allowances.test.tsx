import { screen, waitFor, within } from '@testing-library/react'
import type { AllowanceRow, AskForMore } from '@/service/fleet/allowances'
import { changesOf, choose, press, show, type } from '@/ui/screen.test-help'
import { FleetScreen } from './fleet-screen'

const row = (change: Partial<AllowanceRow>): AllowanceRow => ({
  id: 5,
  what: 'slots',
  areaId: 2,
  area: 'Sailing',
  units: 4,
  allowed: 6,
  grants: [{ units: 2, until: '2027-03-20T10:00:00Z' }],
  used: 6,
  peak: 5,
  mayAsk: true,
  ...change,
})
const ask = (change: Partial<AskForMore> = {}): AskForMore => ({
  id: 31,
  what: 'slots',
  area: 'Sailing',
  units: 2,
  why: 'The spring timetable.',
  until: null,
  state: 'open',
  askedBy: 'Moira Calder',
  askedAt: '2027-03-09T01:00:00Z',
  answeredBy: null,
  answeredAt: null,
  answer: '',
  isMine: false,
  ...change,
})
const HOUR = 3_600_000
const SERVER = {
  'GET /agents': [],
  'GET /areas': [
    { id: 2, title: 'Sailing', path: 'Sailing', notes: '', jobs: 3, may: 'design' },
    { id: 3, title: 'Freight', path: 'Freight', notes: '', jobs: 3, may: 'design' },
  ],
  'GET /allowances': {
    allowances: [
      row({ id: null, areaId: null, area: null, units: null, allowed: null, grants: [], used: 12, mayAsk: false }),
      row({}),
    ],
    asks: [ask(), ask({ id: 30, state: 'declined', answeredBy: 'Ines Aldaya', answer: 'Not this week.' })],
  },
  'GET /allowances/use': { hours: [0, 1, 2].map((n) => ({ at: n * HOUR, peak: n, mean: n / 2 })) },
  'PUT /allowances': undefined,
  'POST /allowances/5/asks': { id: 32 },
  'POST /allowance-asks/31/answer': { mailed: true },
  'DELETE /allowance-asks/31': undefined,
}
const open = (role: 'administrator' | 'designer' = 'administrator', more: object = {}) =>
  show(<FleetScreen />, { ...SERVER, ...more }, { role, at: '/fleet?tab=allowances' })
const table = (name: string): Promise<HTMLElement> => screen.findByRole('table', { name })
const textOf = (element: HTMLElement): string => element.textContent?.replace(/\s+/g, ' ') ?? ''

it('says what is allowed, what is in use, and what was asked for and answered', async () => {
  open()
  const rows = within(await table('Allowances'))
    .getAllByRole('row')
    .map(textOf)
  expect(rows[1]).toMatch(/^everywhereslotsno limit12/)
  expect(rows[2]).toMatch(/^Sailingslots6 \(2 of them until .*\)6, all5/)
  const asks = within(await table('Asked for'))
    .getAllByRole('row')
    .map(textOf)
  expect(asks[1]).toContain('2 more slots in SailingThe spring timetable.for good')
  expect(asks[2]).toContain('declined by Ines Aldaya: Not this week.')
})

it('an administrator limits an area, and takes the limit away by an empty field', async () => {
  const asked = open()
  await table('Allowances')
  await press('Limit an area')
  // A list that is not known yet has nothing to choose from.
  await waitFor(() => expect(asked.some(({ what }) => what === 'GET /areas')).toBe(true))
  await choose(/Area/, 'Freight')
  type('In use at once at most', '3')
  await press('Save')
  await waitFor(() =>
    expect(changesOf(asked)).toMatchObject([{ what: 'PUT /allowances', body: { what: 'slots', areaId: 3, units: 3 } }]),
  )
  await press('Change what is allowed of slots in Sailing')
  type('In use at once at most', '')
  await press('Save')
  await waitFor(() => expect(changesOf(asked)[1]).toMatchObject({ body: { areaId: 2, units: null } }))
})

it('a designer asks for more, with a reason and an end; an administrator answers', async () => {
  const asked = open('designer')
  await table('Allowances')
  await press('Ask for more slots in Sailing')
  type('How many more', '2')
  await choose(/Until when/, 'for a week')
  type('What for', 'The spring timetable.')
  await press('Ask')
  await waitFor(() =>
    expect(changesOf(asked)).toMatchObject([
      {
        what: 'POST /allowances/5/asks',
        body: { units: 2, why: 'The spring timetable.', until: expect.stringMatching(/Z$/) as string },
      },
    ]),
  )
})

it('is declined with a sentence, and says that it was mailed', async () => {
  const asked = open()
  await table('Asked for')
  await press('Answer …')
  type('Your answer', 'Not this week.')
  await press('Decline')
  await waitFor(() =>
    expect(changesOf(asked)).toMatchObject([
      { what: 'POST /allowance-asks/31/answer', body: { grant: false, answer: 'Not this week.' } },
    ]),
  )
  expect(await screen.findByText('Declined; Moira Calder is told by mail.')).toBeTruthy()
})

it('whoever asked may take it back', async () => {
  const asked = open('designer', {
    'GET /allowances': { ...SERVER['GET /allowances'], asks: [ask({ isMine: true })] },
  })
  await table('Asked for')
  await press('Take it back')
  await waitFor(() => expect(changesOf(asked)).toMatchObject([{ what: 'DELETE /allowance-asks/31' }]))
})
