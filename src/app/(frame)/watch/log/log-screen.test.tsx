import { cleanup, fireEvent, screen, waitFor, within } from '@testing-library/react'
import { logMatter } from '@/core/log/log.test-help'
import type { LogMatter, ShiftLog } from '@/core/log/night'
import { ChangesScreen } from '../changes/changes-screen'
import { changesOf, No, press, show, type, type Asked } from '@/ui/screen.test-help'
import { LogScreen } from './log-screen'

/** London, half past three in the night to 2 December. */
const NOW = Date.parse('2026-12-02T03:30:00Z')
beforeAll(() => void jest.spyOn(Date, 'now').mockReturnValue(NOW))
afterAll(() => void jest.restoreAllMocks())

const at = (time: string): number => Date.parse(`2026-12-0${time}:00Z`)
const matter = (change: Partial<LogMatter>): LogMatter =>
  logMatter({
    openedAtMs: at('2T01:12'),
    takenBy: 'Sunniva Dahl',
    takenAtMs: at('2T01:16'),
    note: 'clearing logs',
    closedBy: 'Sunniva Dahl',
    closedAtMs: at('2T01:50'),
    done: '40 GB free',
    ...change,
  })
const LOG: ShiftLog = {
  fromMs: at('1T18:00'),
  toMs: at('2T09:00'),
  before: [
    matter({ id: 2, title: 'Tide tables', openedAtMs: at('1T16:00'), closedAtMs: null, closedBy: null, done: '' }),
  ],
  matters: [matter({})],
  changes: [
    {
      atMs: at('1T20:10'),
      by: 'Torvald Brekke',
      says: 'The job Largest tables was changed.',
      object: { type: 'job', id: '5' },
      followed: [17, 18, 19, 20, 21],
    },
  ],
  notes: [
    { id: 3, atMs: at('2T02:00'), by: 'Sunniva Dahl', byId: 1, text: 'Turnstone is late.' },
    { id: 4, atMs: at('2T02:30'), by: 'Moira', byId: 99, text: 'So is Oyster.' },
  ],
  handedOver: [{ atMs: at('2T03:00'), by: 'Sunniva Dahl', to: 'Callum Eads', note: 'Quiet.' }],
  isCut: false,
}
const page = (more: object = {}, options: object = { role: 'operator' }): Asked[] =>
  show(<LogScreen />, { 'GET /shift-log': LOG, ...more }, { at: '/watch/log', zone: 'Europe/London', ...options })

describe('the night’s log', () => {
  it('asks for the night that goes on, and tells it in order of time', async () => {
    const asked = page()
    const lines = within(await screen.findByLabelText('In order of time')).getAllByRole('listitem')
    expect(asked[0]?.query).toEqual({ from: '2026-12-01T18:00:00.000Z', to: '2026-12-02T09:00:00.000Z' })
    expect(lines.map((line) => line.textContent)).toEqual([
      '20:10The job Largest tables was changed. by Torvald Brekke · failed within a day: #17 #18 #19 #20 and 1 more',
      '01:12Fare cache failed on kelda-app2no space left on device01:16 taken by Sunniva Dahl: “clearing logs”01:50 settled: Sunniva Dahl: “40 GB free”',
      expect.stringContaining('Turnstone is late.'),
      expect.stringContaining('So is Oyster.'),
      '03:00Sunniva Dahl handed over to Callum Eads. Quiet.',
    ])
    expect(screen.getByLabelText('Still open').textContent).toContain('16:00Tide tables failed on kelda-app2')
  })

  it('shows what a figure counts, and everything again', async () => {
    page()
    const lines = async (): Promise<(string | null)[]> =>
      within(await screen.findByLabelText('In order of time'))
        .queryAllByRole('listitem')
        .map((line) => line.textContent)
    await screen.findByLabelText('In order of time')
    await press('failed 1')
    expect(await lines()).toEqual([expect.stringContaining('Fare cache failed')])
    await press('changes 1')
    expect(await lines()).toEqual([expect.stringContaining('Largest tables was changed')])
    await press('late 0')
    expect(screen.getByText('Nothing of this kind')).toBeTruthy()
    await press('late 0')
    expect(await lines()).toHaveLength(5)
  })

  it('goes to nights before, and not to one that is still to come', async () => {
    const asked = page()
    await screen.findByLabelText('In order of time')
    await press('Night after')
    const logs = (): (string | undefined)[] =>
      asked.filter(({ what }) => what === 'GET /shift-log').map(({ query }) => query?.from)
    expect(logs()).toHaveLength(1)
    await press('Night before')
    await waitFor(() => expect(logs().at(-1)).toBe('2026-11-30T18:00:00.000Z'))
    // Nothing can be written into what is over.
    expect(screen.queryByLabelText('A note for whoever comes next')).toBeNull()
  })

  it('takes a note, keeps it where it was refused, and takes back one’s own alone', async () => {
    const asked = page({
      'POST /shift-log/notes': new No(422, { detail: 'Too long.' }),
      'DELETE /shift-log/notes/3': undefined,
    })
    await screen.findByLabelText('In order of time')
    type('A note for whoever comes next', 'The bank called.')
    await press('Add the note')
    expect(await screen.findByText('Too long.')).toBeTruthy()
    expect(screen.getByDisplayValue('The bank called.')).toBeTruthy()
    expect(screen.getAllByRole('button', { name: 'Take back' })).toHaveLength(1)
    await press('Take back')
    expect(changesOf(asked)).toMatchObject([
      { what: 'POST /shift-log/notes', body: { text: 'The bank called.' } },
      { what: 'DELETE /shift-log/notes/3' },
    ])
  })

  it('is handed over by name, up to now; not by whoever only looks', async () => {
    const asked = page({ 'POST /shift-log/hand-over': { id: 1 } })
    await press('Hand over')
    const dialog = await screen.findByRole('dialog')
    type('To', 'Callum Eads')
    type('What they should know (optional)', 'Quiet.')
    fireEvent.click(within(dialog).getByRole('button', { name: 'Hand over' }))
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    expect(changesOf(asked)).toEqual([
      expect.objectContaining({
        what: 'POST /shift-log/hand-over',
        body: {
          from: '2026-12-01T18:00:00.000Z',
          to: '2026-12-02T03:30:00.000Z',
          toName: 'Callum Eads',
          note: 'Quiet.',
        },
      }),
    ])
    cleanup()
    page({}, { role: 'viewer' })
    await press('Hand over')
    expect(screen.queryByRole('dialog')).toBeNull()
  })
})

it('what changed is a list with who, what, and what failed after it', async () => {
  const asked = show(
    <ChangesScreen />,
    { 'GET /changes': { changes: LOG.changes, isCut: false } },
    { at: '/watch/changes?hours=168&text=tables', zone: 'Europe/London' },
  )
  const row = (await screen.findByText('The job Largest tables was changed.')).closest('tr')
  expect(row?.textContent).toContain('Torvald Brekke')
  expect(row?.textContent).toContain('#17 #18 #19 #20 and 1 more')
  expect(screen.getByText('The job Largest tables was changed.').getAttribute('href')).toBe('/work/jobs/5')
  expect(asked[0]?.query).toEqual({
    from: '2026-11-25T03:30:00.000Z',
    to: '2026-12-02T03:30:00.000Z',
    text: 'tables',
  })
})
