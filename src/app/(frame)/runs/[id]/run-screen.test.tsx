import { cleanup, fireEvent, screen, waitFor, within } from '@testing-library/react'
import { jobDefinitionSchema } from '@/core/work/job'
import type { AttemptRow, RunFull } from '@/service/runs/run-page'
import { changesOf, No, press, show, type Asked } from '@/ui/screen.test-help'
import { RunScreen } from './run-screen'

const now = Date.now()
const ago = (seconds: number): string => new Date(now - seconds * 1000).toISOString()
const attempt = (change: Partial<AttemptRow> = {}): AttemptRow => ({
  id: 70,
  number: 1,
  state: 'failed',
  agentId: 4,
  agent: 'tarn-ops1',
  robotId: null,
  robot: null,
  handedAt: ago(100),
  startedAt: ago(99),
  endedAt: ago(60),
  exitCode: 3,
  reason: 'Exit code 3; success is 0.',
  whatRan: {
    argv: ['sh', '-c', 'till --of "$harbour"'],
    environment: { harbour: 'tarn', word: '****' },
    folder: '/srv/marram',
    user: 'svc-marram',
    agentVersion: '1.0.0',
    pid: 4711,
  },
  byHand: 'cd /srv/marram && harbour=tarn sh -c \'till --of "$harbour"\'',
  outputLines: 0,
  outputCut: false,
  outputPurged: false,
  outputs: {},
  ...change,
})
const run = (change: Partial<RunFull> = {}): RunFull =>
  ({
    id: 18204,
    jobId: 5,
    title: 'Till file',
    area: 'Close of day',
    kind: 'command',
    state: 'failed',
    stopAsked: false,
    cause: 'person',
    starter: 'Callum Eads',
    triggerId: null,
    occurrence: null,
    againOf: null,
    agentId: 4,
    agent: 'tarn-ops1',
    robotId: null,
    robot: null,
    attempts: 1,
    maxAttempts: 2,
    priority: 2,
    createdAt: ago(120),
    startAfter: null,
    startedAt: ago(99),
    endedAt: ago(60),
    durationMs: 39_000,
    usualMs: 30_000,
    exitCode: 3,
    reason: 'Exit code 3; success is 0.',
    cleared: false,
    jobVersion: 2,
    definition: jobDefinitionSchema.parse({
      action: { kind: 'command', command: 'till --of ${harbour}' },
      target: { pool: 'harbours' },
      inputs: [
        { name: 'harbour', title: 'Harbour', type: 'text' },
        { name: 'word', type: 'secret' },
      ],
      retries: 1,
      retryDelaySeconds: 90,
    }),
    inputs: { harbour: 'tarn' },
    secretInputs: ['word'],
    target: { pool: 'harbours' },
    stopAskedBy: null,
    readyAt: ago(119),
    tries: [attempt()],
    matterId: null,
    may: 'design',
    jobIsGone: false,
    trigger: null,
    dueAt: null,
    unreachableSince: null,
    asks: [],
    ...change,
  }) as RunFull
const SERVER = {
  'POST /runs/18204/again': { id: 18300 },
  'POST /runs/18204/stop': undefined,
  'GET /runs/18204/why': { reason: null },
  'GET /runs/18204/earlier': [],
  'GET /notice-sends': [],
}
function page(what: Partial<RunFull>, more: object = {}, options: object = { role: 'operator' }): Asked[] {
  return show(<RunScreen id={18204} />, { ...SERVER, 'GET /runs/18204': run(what), ...more }, options)
}
const words = async (role: 'status' | 'main' = 'status'): Promise<string> =>
  (await screen.findByRole(role)).textContent?.replace(/\s+/g, ' ') ?? ''

describe('a success of a job that watches its output', () => {
  const change = { takenAway: 1, putIn: 8, lines: [{ is: 'put in' as const, text: 'mtu = 9000' }] }
  it('says what it wrote that the one before did not, and leads to both', async () => {
    page({
      state: 'succeeded',
      look: { state: 'changed', before: 18100, change, why: '' },
      definition: jobDefinitionSchema.parse({
        ...run().definition,
        watches: { masks: ['instants', 'durations'], patterns: ['row \\d+', 'a,b'] },
      }),
    })
    const its = await screen.findByLabelText('Its output')
    expect(its.textContent).toContain('1 line taken away, 8 lines put in')
    expect(its.textContent).toContain('+ mtu = 9000')
    expect(its.textContent).toContain('and 8 more lines')
    const to = new URL(within(its).getByText('Compare the outputs').getAttribute('href') ?? '', 'http://x')
    expect(Object.fromEntries(to.searchParams)).toEqual({
      a: '18100',
      b: '18204',
      off: 'run numbers\nprocess ids\ntemporary names',
      own: 'row \\d+\na,b',
    })
  })

  it('says why it was not compared, or that nothing changed', async () => {
    page({ state: 'succeeded', look: { state: 'failed', before: null, change: null, why: 'It took too long.' } })
    expect((await screen.findByLabelText('Its output')).textContent).toContain('not compared: It took too long.')
    cleanup()
    page({ state: 'succeeded', look: { state: 'same', before: 18100, change: null, why: '' } })
    expect(await screen.findByText(/nothing that counts has changed/)).toBeTruthy()
  })
})

describe('a run that ended', () => {
  it('says what came of it and why, and what started it', async () => {
    page({})
    expect(await screen.findByText('Exit code 3; success is 0.')).toBeTruthy()
    expect(screen.getByText('Callum Eads')).toBeTruthy()
    expect(screen.getByRole('button', { name: 'try 1 on tarn-ops1, failed' })).toBeTruthy()
    expect(screen.getByText('It wrote nothing.')).toBeTruthy()
  })

  it('is run again in one press; the new run is shown', async () => {
    const asked = page({})
    await press('Run again')
    await waitFor(() => expect(window.location.pathname).toBe('/runs/18300'))
    expect(changesOf(asked)).toMatchObject([{ what: 'POST /runs/18204/again' }])
  })

  it('cannot be run again once its job is gone, and says so', async () => {
    const asked = page({ jobIsGone: true })
    await press('Run again')
    expect(changesOf(asked)).toEqual([])
    expect(screen.queryByRole('button', { name: 'The job' })).toBeNull()
  })

  it('tells exactly what ran, with secrets masked, to be repeated by hand', async () => {
    const copied: string[] = []
    Object.assign(navigator, { clipboard: { writeText: async (text: string) => void copied.push(text) } })
    page({}, {}, { role: 'operator', at: '/runs/18204?tab=ran' })
    expect(await screen.findByText(`sh -c 'till --of "$harbour"'`)).toBeTruthy()
    expect(screen.getByText('word=****').parentElement?.textContent).toContain('secret, masked')
    expect(screen.getByText('harbour=tarn').parentElement?.textContent).not.toContain('masked')
    await press('Copy')
    expect(copied).toEqual([attempt().byHand])
  })

  it('shows its inputs, never a secret one', async () => {
    page({}, {}, { role: 'operator', at: '/runs/18204?tab=inputs' })
    expect(await screen.findByText('secret, never shown')).toBeTruthy()
    expect(screen.getByText('tarn')).toBeTruthy()
  })

  it('lists its tries; one of them is chosen by its bar', async () => {
    const second = attempt({ id: 71, number: 2, state: 'lost', agent: 'brack-ops1', exitCode: null, reason: 'Lost.' })
    page({ tries: [attempt(), second], attempts: 2 }, {}, { role: 'operator', at: '/runs/18204?tab=tries' })
    const rows = within(await screen.findByRole('table', { name: 'Tries' })).getAllByRole('row')
    expect(rows[1]?.textContent).toMatch(/^1 of 2.*failed.*tarn-ops1.*0:39.*3/)
    expect(rows[2]?.textContent).toMatch(/^2 of 2.*lost.*brack-ops1.*Lost\.$/)
    fireEvent.keyDown(screen.getByRole('button', { name: 'try 1 on tarn-ops1, failed' }), { key: 'Enter' })
    expect(window.location.search).toContain('try=1')
  })

  it('says how long it waited once it was ready, and who was told of it', async () => {
    page({})
    expect((await screen.findByText('waited')).parentElement?.textContent).toContain('0:19')
    fireEvent.click(screen.getByRole('tab', { name: 'Notices' }))
    expect(await screen.findByText(/Nobody was told anything of it/)).toBeTruthy()
    // Of a run that was tried again only its making is known.
    page({ readyAt: ago(50), tries: [attempt({ handedAt: ago(100) }), attempt({ id: 71, number: 2 })] })
    expect((await screen.findByText('waited')).parentElement?.textContent).toContain('0:20')
    page({ readyAt: ago(100), createdAt: ago(100) })
    await screen.findByText('Exit code 3; success is 0.')
    expect(screen.queryByText('waited')).toBeNull()
  })

  it('says when it ended after its time to finish', async () => {
    page({ dueAt: ago(70) })
    expect((await screen.findByText(/ended late/)).textContent).toBeTruthy()
  })
})

describe('a run that waits', () => {
  const waiting: Partial<RunFull> = {
    endedAt: null,
    startedAt: null,
    reason: '',
    tries: [],
    agent: null,
    agentId: null,
  }
  it.each<[string, Partial<RunFull>, object, RegExp]>([
    [
      'for an agent, in dispatch’s own words',
      { ...waiting, state: 'ready' },
      { 'GET /runs/18204/why': { reason: { why: 'agent', lacks: [{ agent: 'tarn-ops1', lacks: ['is draining'] }] } } },
      /Why is it waiting\? No agent can take it: tarn-ops1 is draining\./,
    ],
    [
      'for its retry',
      { ...waiting, state: 'waiting', startAfter: new Date(now + 60_000).toISOString(), attempts: 1 },
      {},
      /Waits for its time: .*\(try 2 of 2 after a delay of 1 min 30 s\)/,
    ],
    [
      'for the run before it',
      {
        ...waiting,
        state: 'waiting',
        trigger: {
          id: 8,
          title: 'Vessel logs',
          isGone: false,
          version: 1,
          occurrence: ago(30),
          day: '2026-11-26',
          zone: 'Europe/London',
          calendarVersions: {},
          event: null,
          after: 18_100,
        },
      },
      {},
      /Waits until #18100, the run of Vessel logs before it, has ended\./,
    ],
    [
      'for its machine to be reached, so many times',
      {
        ...waiting,
        state: 'ready',
        unreachableSince: ago(95),
        definition: { ...run().definition, unreachable: { everySeconds: 30, times: 10, then: 'fail' } },
      },
      {},
      /Looked 3 of 10 times, every 30 s; then it fails\./,
    ],
  ])('says %s', async (_, what, more, sentence) => {
    page(what, more)
    await waitFor(async () => expect(await words()).toMatch(sentence))
  })

  it('says who at robots is asked, and what others said', async () => {
    page(
      {
        ...waiting,
        state: 'ready',
        asks: [
          {
            id: 1,
            attempt: 1,
            robotId: 3,
            robot: 'desk3',
            state: 'no',
            askedAt: ago(900),
            at: ago(0),
            answeredAt: ago(600),
            answeredBy: 'Wren Halloran',
          },
          {
            id: 2,
            attempt: 1,
            robotId: 4,
            robot: 'desk4',
            state: 'late',
            askedAt: ago(600),
            at: ago(300),
            answeredAt: null,
            answeredBy: null,
          },
        ],
      },
      { 'GET /runs/18204/why': { reason: { why: 'person', robot: 'desk5', how: 'asked', atMs: Date.now() } } },
    )
    await waitFor(async () => expect(await words()).toMatch(/The person at desk5 is asked, and has until/))
    expect(document.body.textContent?.replace(/\s+/g, ' ')).toMatch(
      /desk3: no, .*\(Wren Halloran\); desk4: no answer until/,
    )
  })

  it('is taken off the queue after a question', async () => {
    const asked = page({ ...waiting, state: 'ready' })
    await press('Stop')
    expect((await screen.findByRole('dialog')).textContent).toContain('It has not started')
    expect(changesOf(asked)).toEqual([])
    await press('Stop it')
    await waitFor(() => expect(changesOf(asked)).toMatchObject([{ what: 'POST /runs/18204/stop' }]))
  })
})

describe('a run that runs', () => {
  const running = { state: 'running', endedAt: null, durationMs: null, reason: '', exitCode: null } as const
  it('is stopped after being told what that does', async () => {
    page({ ...running, tries: [attempt({ state: 'running', endedAt: null })] })
    await press('Stop')
    expect((await screen.findByRole('dialog')).textContent).toContain(
      'Sends SIGTERM to Till file on tarn-ops1, and kills it with all its children after 10 s.',
    )
  })

  it('shows that it is being stopped', async () => {
    page({ ...running, stopAskedBy: 'Callum Eads', tries: [attempt({ state: 'running', endedAt: null })] })
    expect(await screen.findByText('stopping')).toBeTruthy()
  })

  it('cannot be stopped by a viewer, who is told why', async () => {
    const asked = page(
      { ...running, may: 'see', tries: [attempt({ state: 'running', endedAt: null })] },
      {},
      { role: 'viewer' },
    )
    await press('Stop')
    expect(screen.queryByRole('dialog')).toBeNull()
    expect(changesOf(asked)).toEqual([])
  })

  it('says what went wrong when it could not be stopped', async () => {
    page(
      { ...running, tries: [attempt({ state: 'running', endedAt: null })] },
      { 'POST /runs/18204/stop': new No(409, { detail: 'It has just ended.' }) },
    )
    await press('Stop')
    await press('Stop it')
    expect(await screen.findByText('It has just ended.')).toBeTruthy()
  })
})

describe('a run by a trigger', () => {
  it('names the trigger, the occurrence, and the versions of the rules that made it', async () => {
    page({
      cause: 'trigger',
      starter: 'Close of day',
      trigger: {
        id: 8,
        title: 'Close of day',
        isGone: false,
        version: 3,
        occurrence: '2026-11-25T17:00:00.000Z',
        day: '2026-11-25',
        zone: 'Europe/London',
        calendarVersions: { 'working-days': 4 },
        event: null,
        after: null,
      },
    })
    const link = await screen.findByRole('link', { name: 'trigger Close of day' })
    expect(link.getAttribute('href')).toBe('/timing/triggers/8')
    const rule = screen.getByText(/of 2026-11-25, London/)
    expect(rule.textContent).toContain('rule 3')
    expect(rule.getAttribute('title')).toBe('trigger version 3, calendar working-days version 4')
  })
})

describe('a run that did not go well', () => {
  const change = (says: string, more: object = {}): object => ({
    ...{ kind: 'definition', says, atMs: now - 7_200_000, by: 'Torvald Brekke', object: { type: 'job', id: 5 } },
    ...more,
  })
  const found = {
    good: { id: 18190, at: ago(90_000) },
    firstBad: { id: 18200, at: ago(9_000) },
    changes: [
      change('Version 2: The command was “a” and is “b”.'),
      change('Input day was Monday and is Tuesday.', { kind: 'input', atMs: null, by: null, object: null }),
      change('The account care got a new secret.', { kind: 'account', object: { type: 'account', id: 1 } }),
      change('The lock fares was changed.', { kind: 'lock', object: { type: 'lock', id: 1 } }),
    ],
    more: 2,
    together: [
      {
        ...{ kind: 'machine', how: 'failed', name: 'tarn-ops1', id: 4 },
        runs: [
          { id: 18204, title: 'Till file', at: ago(60), says: 'no space left' },
          { id: 18203, title: 'Gate counts', at: ago(90), says: 'no space left' },
        ],
      },
    ],
  }

  it('says what changed since it last went well, the likeliest first, and what failed with it', async () => {
    show(<RunScreen id={18204} />, { 'GET /runs/18204': run(), 'GET /runs/18204/changes': found })
    const panel = within(await screen.findByRole('region', { name: 'What changed' }))
    const lines = (): (string | null)[] => panel.getAllByRole('listitem').map((each) => each.textContent)
    expect(lines()).toEqual([
      'Version 2: The command was “a” and is “b”.Torvald Brekke, 2 h ago',
      'Input day was Monday and is Tuesday.',
      'The account care got a new secret.Torvald Brekke, 2 h ago',
    ])
    expect(panel.getByRole('link', { name: /^Version 2/ }).getAttribute('href')).toBe('/work/jobs/5')
    expect(panel.getByText(/it fails since/).textContent).toMatch(/#18190.*it fails since #18200/)
    expect(panel.getByText('Perhaps one cause:').parentElement?.textContent).toBe(
      'Perhaps one cause: 2 jobs failed on tarn-ops1 within an hour: Till file #18204, Gate counts #18203.',
    )
    expect(panel.getByRole('link', { name: 'Compare the outputs' }).getAttribute('href')).toBe(
      '/runs/compare?a=18190&b=18204',
    )
    fireEvent.click(panel.getByRole('button', { name: 'All 4' }))
    expect(lines()).toHaveLength(4)
    expect(panel.getByText('And 2 changes more.')).toBeTruthy()
  })

  it('and what took long with it on one system', async () => {
    const slow = { ...found.together[0], kind: 'system', how: 'slow', name: 'Ticket database', id: 2 }
    show(<RunScreen id={18204} />, {
      'GET /runs/18204': run(),
      'GET /runs/18204/changes': { ...found, together: [slow] },
    })
    expect((await screen.findByText('Perhaps one cause:')).parentElement?.textContent).toContain(
      '2 jobs took much longer than usual on Ticket database within an hour',
    )
    expect(screen.getByRole('link', { name: 'Ticket database' }).getAttribute('href')).toBe('/fleet/systems/2')
  })

  it('says so where nothing is known to have changed, and asks nothing of a run that went well', async () => {
    show(<RunScreen id={18204} />, {
      'GET /runs/18204': run(),
      'GET /runs/18204/changes': { ...found, firstBad: null, changes: [], more: 0, together: [] },
    })
    expect(await screen.findByText(/^Nothing that is known here/)).toBeTruthy()
    const asked = show(<RunScreen id={18204} />, { 'GET /runs/18204': run({ state: 'succeeded' }) })
    await screen.findByRole('heading', { name: 'Till file' })
    expect(asked.some(({ what }) => what.endsWith('/changes'))).toBe(false)
  })
})
