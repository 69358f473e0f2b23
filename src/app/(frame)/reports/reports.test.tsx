import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { section, type ReportDocument } from '@/core/reports/document'
import type { ReportRow } from '@/service/reports/reports'
import type { ResultFull } from '@/service/reports/results'
import type { WorthRow } from '@/service/reports/worths'
import { changesOf, No, press, show } from '@/ui/screen.test-help'
import { ReportScreen } from './[id]/report-screen'
import { ReportsScreen } from './reports-screen'
import { ResultScreen } from './results/[id]/result-screen'
import { periodWords } from './words'
import { WorthScreen } from './worth/worth-screen'

const REPORT: ReportRow = {
  id: 4,
  slug: 'fleet',
  title: 'Monthly fleet review',
  notes: '',
  kind: 'runs',
  period: { last: 'month' },
  zone: 'Europe/London',
  filter: { area: [3], job: [8, 9] },
  options: { details: false, currency: 'GBP', paper: 'A4' },
  readers: { people: [5], roles: ['viewer'], areas: [] },
  mail: ['office@marram.example'],
  keepDays: 400,
  version: 2,
  madeBy: 'Moira Calder',
  owner: 'Moira Calder',
  isMine: true,
  mayChange: true,
  savedBy: 'Moira Calder',
  savedAt: '2026-11-01T00:00:00Z',
  lastMade: { id: 71, at: '2026-12-01T06:10:00Z', period: '1 – 30 Nov 2026' },
  last: { id: 72, state: 'making' },
}
const DOCUMENT: ReportDocument = {
  title: 'Monthly fleet review',
  kind: 'runs',
  period: { fromMs: 0, toMs: 1, zone: 'Europe/London', words: '1 – 30 Nov 2026' },
  currency: null,
  madeAtMs: 0,
  rightsOf: 'Moira Calder',
  sections: [
    section('In all', {
      figures: [
        { label: 'Runs', unit: 'count', value: 18_204, href: '/runs?from=a' },
        { label: 'Share succeeded', unit: 'share', value: 0.941, formula: 'Of those that ended.' },
      ],
    }),
    section('By job', {
      tables: [
        {
          title: 'By job',
          columns: [
            { title: 'Job', unit: 'text' },
            { title: 'Length', unit: 'ms' },
          ],
          rows: Array.from({ length: 75 }, (_, i) => ({ cells: [`Job ${i}`, i * 1000], hrefs: [`/runs?job=${i}`] })),
          foot: ['All', null],
        },
        { title: 'Others', columns: [{ title: 'Job', unit: 'text' }], rows: [] },
        { title: 'Days', columns: [{ title: 'Day', unit: 'day' }], rows: [{ cells: ['2026-11-30'] }] },
      ],
    }),
  ],
}
const RESULT: ResultFull = {
  id: 71,
  reportId: 4,
  title: 'Monthly fleet review',
  kind: 'runs',
  state: 'made',
  step: '',
  share: 1,
  askedBy: 'Moira Calder',
  askedById: 2,
  askedAt: '2026-12-01T06:10:00Z',
  endedAt: '2026-12-01T06:10:09Z',
  reason: '',
  period: '1 – 30 Nov 2026',
  pages: 4,
  hasPdf: true,
  mailed: [
    { to: 'office@marram.example', at: '2026-12-01T06:10:12Z', fault: null },
    { to: 'old@marram.example', at: null, fault: 'The mail server refused: no such mailbox.' },
  ],
  document: DOCUMENT,
  mayChange: true,
}
const MAKING = {
  ...RESULT,
  id: 72,
  state: 'making' as const,
  step: 'reads runs: 5,000 of 20,000',
  share: 0.2,
  period: '',
  document: null,
  hasPdf: false,
}
const SERVER = {
  'GET /reports': [REPORT],
  'GET /reports/4': REPORT,
  'GET /reports/4/results': [MAKING, RESULT],
  'GET /report-results/71': RESULT,
  'GET /report-results/71/state': RESULT,
  'GET /areas': [
    { id: 3, path: 'Sailing' },
    { id: 6, path: 'Freight' },
  ],
  'GET /jobs': [
    { id: 8, title: 'Till file' },
    { id: 9, title: 'Berth plan' },
  ],
  'GET /people': [{ id: 5, name: 'Petra Flett' }],
}

it('periods are said in words', () => {
  expect(
    [
      { last: 'day' },
      { current: 'week' },
      { night: 'last' },
      { days: 28 },
      { from: '2026-11-01', to: '2026-11-03' },
    ].map((one) => periodWords(one as never)),
  ).toEqual(['yesterday', 'this week so far', 'last night', 'the last 28 days', '2026-11-01 to 2026-11-03'])
})

it('lists what may be read, with what came of it last and who reads it', async () => {
  show(<ReportsScreen />, SERVER)
  const row = (await screen.findByText('Monthly fleet review')).closest('tr') as HTMLElement
  expect(row.textContent).toContain('Runs by day')
  expect(row.textContent).toContain('last month')
  expect(row.textContent).toContain('1 – 30 Nov 2026')
  expect(row.textContent).toContain('one person, viewers')
})

describe('a report', () => {
  it('shows its newest result: figures lead to their rows, tables can be taken away, how far the next one is', async () => {
    const asked = show(<ReportScreen id={4} />, { ...SERVER, 'POST /report-results/72/stop': undefined })
    expect((await screen.findByRole('link', { name: '18,204' })).getAttribute('href')).toBe('/runs?from=a')
    expect(screen.getByText('94.1 %')).toBeDefined()
    expect(screen.getByText('Of those that ended.')).toBeDefined()
    const table = screen.getByRole('table', { name: 'By job' })
    expect(within(table).getAllByRole('row')).toHaveLength(62)
    await press('Show all 75 rows')
    expect(within(table).getAllByRole('row')).toHaveLength(77)
    expect(screen.getByText('Mon 30 Nov')).toBeDefined()
    expect(screen.getAllByRole('link', { name: 'CSV' }).map((link) => link.getAttribute('href'))).toEqual([
      '/api/v1/report-results/71/table.csv?table=0',
      '/api/v1/report-results/71/table.csv?table=2',
    ])
    expect(screen.getByRole('link', { name: 'PDF' }).getAttribute('href')).toBe('/api/v1/report-results/71/report.pdf')
    expect(screen.getByText(/to old@marram.example: The mail server refused: no such mailbox/)).toBeDefined()
    expect(screen.getByRole('status').textContent).toContain('It reads runs: 5,000 of 20,000.')
    await press('Stop')
    expect(changesOf(asked)).toEqual([{ what: 'POST /report-results/72/stop', body: {} }])
  })

  it('by the number of a result, as mails name it; one that failed says why', async () => {
    const failed = {
      ...RESULT,
      state: 'failed',
      reason: 'Its owner is gone.',
      document: null,
      hasPdf: false,
      mailed: [],
    }
    show(<ResultScreen id={71} />, {
      ...SERVER,
      'GET /report-results/71': failed,
      'GET /report-results/71/state': failed,
    })
    expect(await screen.findByText(/Its owner is gone/)).toBeDefined()
    expect(screen.queryByRole('link', { name: 'PDF' })).toBeNull()
  })

  it('is changed with all that it has; what is wrong stands at its field, and nothing typed is lost', async () => {
    const fault = { path: 'mail[1]', message: 'This is not one mail address.' }
    let saves = 0
    const asked = show(<ReportScreen id={4} />, {
      ...SERVER,
      'PUT /reports/4': () =>
        saves++ === 0
          ? new No(400, { type: 'urn:bugle:problem:invalid-input', detail: '', errors: [fault] })
          : { version: 3 },
    })
    await press('Change')
    const dialog = await screen.findByRole('dialog')
    expect(await within(dialog).findByRole('button', { name: /Sailing/ })).toBeDefined()
    const mail = within(dialog).getByRole('textbox', { name: 'Mailed as a PDF to' })
    await userEvent.clear(mail)
    await userEvent.type(mail, 'office@marram.example, nobody')
    await userEvent.click(within(dialog).getByRole('button', { name: /Till file/ }))
    await userEvent.click(within(dialog).getByRole('button', { name: 'Save' }))
    expect(await within(dialog).findByText('This is not one mail address.')).toBeDefined()
    expect((mail as HTMLInputElement).value).toBe('office@marram.example, nobody')
    await userEvent.click(within(dialog).getByRole('button', { name: 'Save' }))
    expect(changesOf(asked).at(-1)?.body).toMatchObject({
      filter: { area: [3], job: [9] },
      mail: ['office@marram.example', 'nobody'],
      readers: { people: [5], roles: ['viewer'], areas: [] },
      version: 2,
    })
  })
})

describe('a report of a list of runs', () => {
  const VIEWS = { views: [{ id: 12, title: 'Tills of last night' }], first: null }
  const at = (runs: Record<string, string>): string =>
    `/reports?new=1&runs=${encodeURIComponent(new URLSearchParams(runs).toString())}`
  const posted = async (runs: Record<string, string>, more: () => Promise<void> = async () => undefined) => {
    const asked = show(
      <ReportsScreen />,
      { ...SERVER, 'GET /views': VIEWS, 'POST /reports': { id: 9 } },
      { at: at(runs) },
    )
    const dialog = await screen.findByRole('dialog')
    await within(dialog).findByRole('button', { name: /Runs of a view/ })
    const words = dialog.textContent ?? ''
    await more()
    await userEvent.type(within(dialog).getByRole('textbox', { name: 'Title' }), 'Tills')
    await userEvent.click(within(dialog).getByRole('button', { name: 'Keep it' }))
    return { words, filter: (changesOf(asked).at(-1)?.body as { filter: object }).filter }
  }

  it('takes over whose runs they are, says what it does not take, and lets go of marks', async () => {
    const { words, filter } = await posted({ job: '8', agent: '3,4', trigger: '6', state: 'failed' }, async () => {
      await userEvent.click(screen.getByRole('button', { name: /2 machines/ }))
    })
    expect(words).toContain('it looks at all of them whatever their state.')
    expect(filter).toEqual({ job: [8], trigger: [6] })
  })

  it('or is of the view, as it is when it is made, until marks are wanted instead', async () => {
    expect((await posted({ view: '12' })).filter).toEqual({ view: 12 })
  })

  it('of a view may be of none', async () => {
    const { filter } = await posted({ view: '12' }, async () => {
      await userEvent.click(screen.getByRole('button', { name: /Runs of a view/ }))
      await userEvent.click(await screen.findByRole('option', { name: 'no view: as said below' }))
    })
    expect(filter).toEqual({})
  })
})

it('what work spares is said from a day on; what is no number is told where it stands', async () => {
  const row: WorthRow = {
    what: 'job',
    id: 8,
    title: 'Till file',
    area: 'Close of day',
    isFlow: false,
    terms: [{ since: null, minutes: 6, rate: 28, runCost: 0.1 }],
    made: null,
    savedBy: 'Ines Aldaya',
  }
  const asked = show(
    <WorthScreen />,
    {
      'GET /worths': [{ ...row, what: 'area', id: 8, title: 'Close of day', terms: [], savedBy: null }, row],
      'PUT /worths/jobs/8': new No(400, {
        type: 'urn:bugle:problem:invalid-input',
        detail: '',
        errors: [{ path: 'terms[1].minutes', message: 'Expected number.' }],
      }),
    },
    { at: '/reports/worth?job=8' },
  )
  const dialog = await screen.findByRole('dialog')
  await userEvent.click(await within(dialog).findByRole('button', { name: 'From another day on' }))
  await userEvent.type(within(dialog).getAllByRole('textbox', { name: 'Minutes by hand' })[1] as HTMLElement, 'seven')
  await userEvent.type(within(dialog).getByRole('textbox', { name: 'Hours' }), '12,5')
  await userEvent.click(within(dialog).getByRole('button', { name: 'Save' }))
  expect(await within(dialog).findByText('Expected number.')).toBeDefined()
  expect(changesOf(asked)[0]?.body).toMatchObject({
    terms: [
      { since: null, minutes: 6, rate: 28, runCost: 0.1 },
      { since: null, minutes: 'seven', rate: null, runCost: null },
    ],
    made: { hours: 12.5, rate: null, on: '' },
  })
})
