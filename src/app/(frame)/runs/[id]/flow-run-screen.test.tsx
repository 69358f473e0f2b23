import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { flowDefinitionSchema } from '@/core/work/flow'
import type { FlowRunView, FlowStepView } from '@/service/flows/flow-run-view'
import type { FlowRunFull } from '@/service/runs/run-page'
import { changesOf, No, press, show, type, type Asked } from '@/ui/screen.test-help'
import { RunScreen } from './run-screen'

const now = Date.now()
const ago = (seconds: number): string => new Date(now - seconds * 1000).toISOString()
const step = (index: number, path: string, change: Partial<FlowStepView> = {}): FlowStepView => ({
  index,
  path,
  parent: -1,
  title: path[0]?.toUpperCase() + path.slice(1),
  jobId: 1,
  flow: null,
  links: [],
  join: 'all',
  gate: null,
  onFailure: 'fail',
  routeTo: -1,
  usualMs: 60_000,
  state: 'waiting',
  reason: null,
  tolerated: false,
  heldBy: null,
  marked: null,
  runId: null,
  runState: null,
  runReason: '',
  attempts: 0,
  maxAttempts: 1,
  startAfter: null,
  willSkip: null,
  startedAt: null,
  endedAt: null,
  agent: null,
  ...change,
})
const ran = (state: 'succeeded' | 'failed', runId: number, from: number, to: number): Partial<FlowStepView> => ({
  state,
  runId,
  runState: state,
  runReason: state === 'failed' ? 'Exit code 3; success is 0.' : 'Exit code 0.',
  attempts: 1,
  startedAt: ago(from),
  endedAt: ago(to),
  agent: 'kelda-app1',
})
const after = (...from: number[]): Pick<FlowStepView, 'links'> => ({
  links: from.map((each) => ({ from: each, when: 'succeeded' })),
})
const FAILED: FlowRunView = {
  day: '2027-03-09',
  steps: [
    step(0, 'bookings', ran('succeeded', 801, 300, 240)),
    step(1, 'check', { ...after(0), ...ran('failed', 802, 240, 100), routeTo: 4 }),
    step(2, 'manifest', { ...after(1), state: 'skipped', reason: 'passed-over', endedAt: ago(100) }),
    step(3, 'count', { ...after(0), state: 'skipped', reason: 'gate', gate: 'only on “Month-end close” days' }),
    step(4, 'ticket', ran('succeeded', 803, 99, 90)),
  ],
}
const LIVE: FlowRunView = {
  day: null,
  steps: [
    step(0, 'bookings', ran('succeeded', 801, 300, 240)),
    step(1, 'check', {
      ...after(0),
      ...ran('succeeded', 802, 200, 0),
      state: 'running',
      runState: 'running',
      endedAt: null,
    }),
    step(2, 'manifest', after(1)),
    step(3, 'signs', { ...after(0), state: 'ready', runId: 804, runState: 'ready' }),
    step(4, 'ticket'),
  ].map((each) => (each.path === 'check' ? { ...each, routeTo: 4 } : each)),
}
const run = (change: Partial<FlowRunFull> = {}): FlowRunFull =>
  ({
    id: 800,
    isFlow: true,
    may: 'design',
    jobId: 46,
    title: 'Sailing manifests',
    area: 'Sailing',
    kind: 'flow',
    state: 'failed',
    cause: 'person',
    starter: 'Callum Eads',
    createdAt: ago(301),
    startedAt: ago(300),
    endedAt: ago(90),
    usualMs: 200_000,
    reason: 'Check failed.',
    definition: flowDefinitionSchema.parse({ inputs: [{ name: 'harbour', title: 'Harbour', type: 'text' }] }),
    inputs: { harbour: 'orrin' },
    secretInputs: [],
    trigger: null,
    dueAt: null,
    stopAskedBy: null,
    jobIsGone: false,
    tries: [],
    ...change,
  }) as unknown as FlowRunFull
const stepRun = {
  id: 802,
  isFlow: false,
  tries: [],
  definition: { inputs: [] },
  inputs: {},
  exitCode: 3,
  state: 'failed',
}
const SERVER = {
  'GET /runs/802': stepRun,
  'GET /runs/801': { ...stepRun, id: 801, exitCode: 0 },
  'GET /runs/804': { ...stepRun, id: 804, exitCode: null },
  'GET /runs/804/why': { reason: { why: 'slot', agent: 'orrin-ops1', atMs: now + 60_000 } },
  'GET /runs/800/story': [
    { at: ago(300), what: 'the flow began', step: null, by: null, runId: null },
    { at: ago(100), what: 'failed: Exit code 3; success is 0.', step: 'check', by: null, runId: 802 },
  ],
  'POST /runs/800/steps/again/preview': {
    again: ['check', 'manifest', 'ticket'],
    kept: ['bookings', 'count'],
    inTheWay: [],
  },
  'POST /runs/800/steps/again': undefined,
  'POST /runs/800/steps/hold': undefined,
  'POST /runs/800/steps/release': undefined,
  'POST /runs/800/steps/mark': undefined,
  'POST /runs/800/stop': undefined,
  'GET /notice-sends': [],
}
const SENT = {
  id: 9,
  noticeId: 2,
  notice: 'Office',
  event: 'failed',
  runId: 800,
  title: 'Sailing manifests',
  state: 'sent',
  attempts: 1,
  what: 'mail to office@marram.example',
  madeAt: ago(80),
  sentAt: ago(79),
  nextAt: ago(80),
}
function page(view: FlowRunView, what: Partial<FlowRunFull> = {}, more: object = {}, options: object = {}): Asked[] {
  return show(
    <RunScreen id={800} />,
    { ...SERVER, 'GET /runs/800': run(what), 'GET /runs/800/steps': view, ...more },
    { role: 'operator', at: '/runs/800', ...options },
  )
}
const bars = async (): Promise<string[]> => {
  await screen.findByRole('application')
  return screen
    .getAllByRole('img')
    .flatMap((bar) => (bar.id.startsWith('step-') ? [bar.getAttribute('aria-label') ?? ''] : []))
}
const GOES_ON: Partial<FlowRunFull> = { state: 'running', endedAt: null, reason: '' }

describe('a flow run that failed', () => {
  it('shows where and why, and begins with the step that failed', async () => {
    page(FAILED)
    expect(await bars()).toEqual([
      'Bookings, succeeded, kelda-app1 · 1:00',
      'Check, failed, kelda-app1 · 2:20, usually 1:00',
      'Manifest, skipped, passed over',
      'Count, skipped, only on “Month-end close” days',
      'Ticket, succeeded, kelda-app1 · 0:09',
    ])
    expect(screen.getByText('failed at Check')).toBeTruthy()
    expect(screen.getByText('Bookings → Check → Ticket')).toBeTruthy()
    expect(await screen.findByText(/exit 3/)).toBeTruthy()
  })

  it('is run again from there; what runs again and what is kept is said first', async () => {
    const asked = page(FAILED)
    await press('Run again from Check')
    const dialog = await screen.findByRole('dialog')
    expect(await within(dialog).findByText('Check, Manifest, Ticket')).toBeTruthy()
    expect(within(dialog).getByText('Bookings, Count')).toBeTruthy()
    fireEvent.change(within(dialog).getByRole('textbox', { name: 'Harbour' }), { target: { value: 'tarn' } })
    fireEvent.click(within(dialog).getByRole('button', { name: 'Run again' }))
    await waitFor(() =>
      expect(changesOf(asked).at(-1)).toEqual({
        what: 'POST /runs/800/steps/again',
        body: { steps: ['check'], inputs: { harbour: 'tarn' } },
      }),
    )
  })

  it('is not run again from what has not ended', async () => {
    const asked = page(
      FAILED,
      {},
      {
        'POST /runs/800/steps/again/preview': { again: ['check'], kept: [], inTheWay: ['ticket'] },
      },
    )
    await press('Run again from here')
    expect(await screen.findByText(/Ticket has not ended yet/)).toBeTruthy()
    fireEvent.click(within(screen.getByRole('dialog')).getByRole('button', { name: 'Run again' }))
    expect(changesOf(asked).map(({ what }) => what)).toEqual(['POST /runs/800/steps/again/preview'])
  })

  it('takes a step as done from a person who says why', async () => {
    let refusal: unknown = new No(400, { detail: 'No.', errors: [{ path: 'why', message: 'Say why.' }] })
    const asked = page(FAILED, {}, { 'POST /runs/800/steps/mark': () => refusal })
    await press('Mark…')
    await press('Mark it')
    expect(await screen.findByText('Say why.')).toBeTruthy()
    refusal = undefined
    type('Because', 'Called the harbour.')
    await press('Mark it')
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    expect(changesOf(asked).at(-1)?.body).toEqual({ step: 'check', as: 'succeeded', why: 'Called the harbour.' })
  })

  it('tells its steps as a list, and its story', async () => {
    page(FAILED, {}, {}, { at: '/runs/800?step=-' })
    const table = await screen.findByRole('table', { name: 'Steps' })
    expect(within(table).getByText('skipped: its gate was closed')).toBeTruthy()
    fireEvent.click(screen.getByRole('tab', { name: 'Story' }))
    const story = await screen.findByRole('table', { name: 'Story' })
    const told = await within(story).findByText('failed: Exit code 3; success is 0.')
    expect(told.closest('tr')?.textContent).toContain('check')
    fireEvent.click(screen.getByRole('tab', { name: 'Inputs 1' }))
    expect(await screen.findByText(/orrin/)).toBeTruthy()
  })

  it('tells who was told of it, also beside the step that it came from', async () => {
    const asked = page(FAILED, {}, { 'GET /notice-sends': [SENT] }, { at: '/runs/800?step=-' })
    fireEvent.click(await screen.findByRole('tab', { name: 'Notices 1' }))
    const told = await screen.findByRole('table', { name: 'Notices sent' })
    expect(within(told).getByText('mail to office@marram.example')).toBeTruthy()
    expect(asked.find(({ what }) => what === 'GET /notice-sends')?.query).toEqual({ run: '800' })
    const inFlow = { ...stepRun, flow: { id: 800, title: 'Sailing manifests', path: 'check' } }
    const again = page(FAILED, {}, { 'GET /notice-sends': [SENT], 'GET /runs/802': inFlow }, { at: '/runs/800' })
    expect(await screen.findByRole('tab', { name: 'Notices 1' })).toBeTruthy()
    const of = again.filter(({ what }) => what === 'GET /notice-sends').map(({ query }) => query.run)
    expect([...new Set(of)]).toEqual(['800'])
  })

  it('says how long the step waited once it was ready', async () => {
    const tries = [
      { id: 7, number: 1, handedAt: ago(120), startedAt: ago(119), endedAt: ago(90), outputs: {}, outputLines: 0 },
    ]
    const waited = { ...stepRun, tries, readyAt: ago(192), createdAt: ago(192), startAfter: null }
    page(FAILED, {}, { 'GET /runs/802': waited })
    expect(await screen.findByText(/waited 1:12/)).toBeTruthy()
  })
})

describe('a flow run that goes on', () => {
  it('shows what runs, and foresees the rest', async () => {
    const steps = LIVE.steps.map((each) => (each.path === 'check' ? { ...each, usualMs: 300_000 } : each))
    page({ ...LIVE, steps }, GOES_ON)
    expect((await bars())[1]).toContain('Check, running')
    // What is behind it is marked at the foot of its bar: 200 seconds of its usual five minutes, and those that the test has taken since.
    const [whole, done] = [...screen.getByRole('img', { name: /^Check, running/ }).querySelectorAll('rect')].map((r) =>
      Number(r.getAttribute('width')),
    )
    const share = (done as number) / (whole as number)
    expect(share).toBeGreaterThan(2 / 3 - 0.01)
    expect(share).toBeLessThan((200_000 + Date.now() - now) / 300_000 + 0.01)
    expect(screen.getByText('ends about')).toBeTruthy()
    // What only a failure leads to is not awaited.
    expect(screen.getByText('Bookings → Check → Manifest')).toBeTruthy()
    expect(screen.getByText('1 of 5 over')).toBeTruthy()
  })

  it.each([
    ['manifest', 'Waits for Check.'],
    ['ticket', 'Begins only if Check fails.'],
    ['signs', 'No slot is free: the first is expected on orrin-ops1'],
  ])('says why %s waits', async (path, why) => {
    page(LIVE, GOES_ON, {}, { at: `/runs/800?step=${path}` })
    await waitFor(() => expect(screen.getByText('Why is it waiting?').parentElement?.textContent).toMatch(why))
  })

  it('leaves out of what it foresees the steps that are kept from running on its day', async () => {
    const steps = LIVE.steps.map((each) =>
      each.path === 'manifest' ? { ...each, gate: 'only on month ends', willSkip: 'gate' as const } : each,
    )
    page({ ...LIVE, steps }, GOES_ON, {}, { at: '/runs/800?step=manifest' })
    expect(await bars()).toContain('Manifest, waiting, gate closed that day')
    expect(screen.getByText('Bookings → Signs')).toBeTruthy()
    expect(screen.getByText(/Waits for Check\. Then it is skipped: it runs only on month ends/)).toBeTruthy()
  })

  it('says when a step that failed is tried again, and why', async () => {
    const retry = { runState: 'waiting', startAfter: '2027-03-09T02:09:10Z', runReason: 'Try 1 of 3: Exit code 3.' }
    const steps = LIVE.steps.map((each) => (each.path === 'check' ? { ...each, ...retry } : each))
    page({ ...LIVE, steps }, GOES_ON, {}, { at: '/runs/800?step=check' })
    expect(await screen.findByText(/Waits for its next try at 02:09:10\. Try 1 of 3: Exit code 3\./)).toBeTruthy()
  })

  it('holds and releases a step that has not started', async () => {
    const asked = page(LIVE, GOES_ON, {}, { at: '/runs/800?step=manifest' })
    await press('Hold')
    await waitFor(() =>
      expect(changesOf(asked)).toEqual([{ what: 'POST /runs/800/steps/hold', body: { step: 'manifest' } }]),
    )
    const held = { ...LIVE, steps: LIVE.steps.map((s) => (s.path === 'manifest' ? { ...s, heldBy: 'Ines' } : s)) }
    const again = page(held, GOES_ON, {}, { at: '/runs/800?step=manifest' })
    expect(
      await screen.findByText(/Waits for Check\. Ines holds it: it begins only once it is released\./),
    ).toBeTruthy()
    await press('Release')
    await waitFor(() => expect(changesOf(again)[0]?.what).toBe('POST /runs/800/steps/release'))
  })

  it('is stopped after saying what that ends', async () => {
    const asked = page(LIVE, GOES_ON)
    await press('Stop')
    expect(await screen.findByText(/Stops one running step \(Check on kelda-app1\)|Stops 1 running step/)).toBeTruthy()
    await press('Stop it')
    expect(changesOf(asked)).toMatchObject([{ what: 'POST /runs/800/stop' }])
  })

  it('lets a viewer look, and change nothing', async () => {
    const asked = page(LIVE, { ...GOES_ON, may: 'see' }, {}, { role: 'viewer', at: '/runs/800?step=manifest' })
    await press('Hold')
    await press('Stop')
    expect(screen.queryByRole('dialog')).toBeNull()
    expect(changesOf(asked)).toEqual([])
  })
})
