import { once } from 'node:events'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir, userInfo } from 'node:os'
import { join } from 'node:path'
import { PassThrough } from 'node:stream'
import { Agent } from './agent'
import { runDesk } from './desk-program'
import { FakeGateway, hello, LEASE, welcome } from './gateway.test-help'
import { Gateways } from './gateways'
import type { FromAgent, Lease, Report } from './protocol'
import { builtSupervisor } from './supervisor.test-help'

const supervisor = builtSupervisor()
let dir: string
let gateway: FakeGateway
let agent: Agent

beforeEach(async () => {
  dir = mkdtempSync(join(tmpdir(), 'bugle-agent-'))
  gateway = new FakeGateway()
  await once(gateway.server, 'listening')
  agent = begin()
})
afterEach(() => {
  agent.stop()
  gateway.close()
  rmSync(dir, { recursive: true, force: true })
})

function begin(): Agent {
  const facts = {
    host: 'kelda-desk1',
    machineId: 'machine-desk1',
    system: 'test',
    arch: 'x64',
    version: '1.0.0',
    runtime: 'node',
    abilities: ['command'],
  }
  const fresh = new Agent({
    gateways: new Gateways(gateway.url),
    credential: 'bga_test',
    stateDir: dir,
    deskDir: join(dir, 'desk'),
    facts,
    supervisor,
    log: () => undefined,
  })
  fresh.start()
  return fresh
}

const task = (attempt: number, command: string, robot: string | null): Lease => ({
  ...LEASE,
  attempt,
  token: attempt,
  run: attempt,
  action: { kind: 'command', command },
  folder: dir,
  robot: robot === null ? null : { name: robot, hours: 'always' },
})
const give = (lease: Lease): void => gateway.say({ type: 'lease', lease })
const tried = (m: FromAgent): m is Extract<FromAgent, { type: 'tried' }> => m.type === 'tried'
const told = (attempt: number, kind: Report['body']['kind']) => {
  type Told = Extract<FromAgent, { type: 'reports' }>
  const isIt = ({ attempt: of, body }: Report): boolean => of === attempt && body.kind === kind
  return async (): Promise<Report> => {
    const message = await gateway.until((m): m is Told => m.type === 'reports' && m.reports.some(isIt))
    return message.reports.find(isIt) as Report
  }
}

async function greet(): Promise<void> {
  await gateway.until(hello)
  gateway.say(welcome({ agent: 'kelda-desk1' }))
}

describe('a robot of an agent', () => {
  it('does one thing at a time, whatever it is handed; another robot and the agent itself do not wait for it', async () => {
    await greet()
    give(task(1, 'echo "$BUGLE_ROBOT"; while [ ! -e go ]; do sleep 0.05; done', 'desk1'))
    give(task(2, 'touch second', 'desk1'))
    give(task(3, 'true', 'desk2'))
    give(task(4, 'true', null))
    await told(3, 'ended')()
    await told(4, 'ended')()
    const { body } = await told(1, 'started')()
    expect(body).toMatchObject({ ran: { robot: { name: 'desk1', hours: 'always', account: userInfo().username } } })
    const begun = (): number[] =>
      gateway.heard.flatMap((m) =>
        m.type === 'reports' ? m.reports.filter((r) => r.body.kind === 'started').map((r) => r.attempt) : [],
      )
    expect(new Set(begun())).toEqual(new Set([1, 3, 4]))
    give(task(5, 'touch go', null))
    await told(1, 'ended')()
    expect((await told(2, 'ended')()).body).toMatchObject({ end: { exitCode: 0 } })
  })

  it('goes on in turn when the agent was started again, and when what it did is no longer its own', async () => {
    await greet()
    give(task(1, 'while [ ! -e never ]; do sleep 0.05; done', 'desk1'))
    give(task(2, 'true', 'desk1'))
    await told(1, 'started')()
    agent.stop()
    const before = gateway.heard.length
    agent = begin()
    await gateway.until(hello, before)
    gateway.say(welcome({ agent: 'kelda-desk1' }))
    gateway.say({ type: 'stale', attempt: 1, token: 1 })
    expect((await told(2, 'ended')()).body).toMatchObject({ end: { exitCode: 0 } })
  })
})

describe('trying an account', () => {
  it.each([
    [userInfo().username, null],
    ['no-such-account', 'This machine has no account no-such-account.'],
  ])('without a secret says whether something could be begun as %s', async (user, fault) => {
    await greet()
    gateway.say({ type: 'try', ask: 9, user, secret: null })
    const said = await gateway.until(tried)
    // One that is not root cannot look.
    if (fault === null || process.getuid?.() === 0) expect(said).toEqual({ type: 'tried', ask: 9, fault })
    else expect(said.fault).toMatch(/may not run anything as/)
  })

  it('with a wrong secret says that it was not let in; one of several lines is none', async () => {
    await greet()
    gateway.say({ type: 'try', ask: 10, user: 'nobody', secret: 'not the password' })
    expect((await gateway.until(tried)).fault).toMatch(
      process.getuid?.() === 0 ? /^nobody was not let in/ : /may not run anything as/,
    )
    const from = gateway.heard.length
    gateway.say({ type: 'try', ask: 11, user: userInfo().username, secret: 'two\nlines' })
    expect((await gateway.until(tried, from)).fault).toMatch(/more than one line/)
  })
})

it('what the owner of the machine denies it is given back, and never begun', async () => {
  await greet()
  give({ ...task(9, 'touch denied', null), action: { kind: 'wait', seconds: 1 } })
  give(task(10, 'touch allowed', null))
  expect((await told(9, 'ended')()).body).toMatchObject({
    end: { how: 'couldNotStart', detail: 'The owner of this machine does not let the agent carry out wait.' },
  })
  await told(10, 'ended')()
  expect(
    gateway.heard.some(
      (m) => m.type === 'reports' && m.reports.some((r) => r.attempt === 9 && r.body.kind === 'started'),
    ),
  ).toBe(false)
})

it('people at its robots are told what they are asked; what they say is said again until it is answered', async () => {
  type Desk = Extract<FromAgent, { type: 'desk' }>
  const isDesk = (m: FromAgent): m is Desk => m.type === 'desk'
  const there = (m: FromAgent): m is Extract<FromAgent, { type: 'there' }> =>
    m.type === 'there' && m.robots.includes('desk3')
  await greet()
  const question = {
    ask: 41,
    run: 9,
    title: 'Sort the post',
    from: 'Petra',
    usualMs: null,
    how: 'asked',
    at: 0,
  } as const
  const desk = { robot: 'desk3', user: userInfo().username, person: null, questions: [question], may: [] }
  gateway.say({ type: 'desks', desks: [desk] })
  const input = new PassThrough()
  const said: string[] = []
  const heard = new Promise<void>((resolve) => {
    const end = runDesk(join(dir, 'desk'), 'desk3', { input, out: (text) => said.push(text) })
    void end.then(resolve)
  })
  await gateway.until(there)
  input.write('now 1\n')
  const first = await gateway.until(isDesk)
  expect(first).toMatchObject({ robot: 'desk3', ask: { do: 'now', ask: 41 } })
  // The line breaks before there is an answer: the same word is said again over the next.
  const from = gateway.heard.length
  gateway.sockets.at(-1)?.terminate()
  await gateway.until(hello, from)
  gateway.say(welcome({ agent: 'kelda-desk1' }))
  const again = await gateway.until(isDesk, from)
  expect(again.request).toBe(first.request)
  gateway.say({ type: 'desk', request: again.request, answer: { ok: true, answer: { text: 'Heard.' } } })
  input.end()
  await heard
  expect(said).toContain('Heard.')
})
