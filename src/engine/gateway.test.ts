import { randomUUID } from 'node:crypto'
import { HAS_DESKS, TRACES } from '@/agent/protocol'
import { endTrace, listTraces, startTrace } from '@/service/fleet/traces'
import { accountSchema, addAccount } from '@/service/fleet/accounts'
import { addRobot, robotSchema } from '@/service/fleet/robots'
import { askAround } from '@/service/runs/asking'
import { ended, lease, makeJob, output, outputOf, started, stateOf } from '@/service/fixtures.test-help'
import { watchAgents } from '@/service/runs/matters'
import { passGap } from '@/service/runs/reports'
import { proofOf } from '@/service/runs/restored'
import { whyWaiting } from '@/service/runs/run-page'
import { startRun, startSchema } from '@/service/runs/start'
import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { Gateway } from './gateway'
import type { Reception } from './reception'
import {
  credentialOf,
  enrolled,
  eventually,
  freePort,
  hello as helloOf,
  Line,
  report,
  receptionOf,
} from './line.test-help'
import { Sink } from './sink'

freshDatabase()

const ENGINE = randomUUID()
let gateway: Gateway
let reception: Reception
let sink: Sink
let port: number
let agentId: number
let name: string
const lines: Line[] = []

function call(credential: string): Line {
  const line = new Line(port, credential)
  lines.push(line)
  return line
}
const hello = (change: object = {}): object => helloOf(name, change)

async function greeted(held: object[] = []): Promise<Line> {
  const line = call(credentialOf(name))
  await line.say(hello({ held }))
  await line.until('welcome')
  return line
}
async function readyRun(): Promise<number> {
  return (await startRun(ADMIN, startSchema.parse({ jobId: await makeJob({ target: { agent: name } }) }))).id
}
beforeAll(async () => {
  port = await freePort()
  sink = new Sink()
  gateway = new Gateway(ENGINE, sink, 10, ['wss://a.example/agent', 'wss://b.example/agent'])
  reception = await receptionOf(gateway, port)
})
beforeEach(async () => {
  ;({ id: agentId, name } = await enrolled())
})
afterEach(() => {
  for (const line of lines.splice(0)) line.end()
})
afterAll(async () => {
  gateway.stop()
  await reception.stop()
  await sink.stop()
})

describe('an agent on whose machine people sit at robots', () => {
  it('is told what they are asked, when it greets and when that changes; their word is heard and answered once', async () => {
    const account = { id: (await addAccount(ADMIN, accountSchema.parse({ name, userName: 'clerk' }))).id }
    const robot = robotSchema.parse({ name: `${name}-desk`, agentId, account, kind: 'attended' })
    await addRobot(ADMIN, robot)
    await execute(null, 'UPDATE robots SET try_token = NULL')
    const { facts } = hello() as { facts: { abilities: string[] } }
    const line = call(credentialOf(name))
    await line.say(hello({ facts: { ...facts, abilities: [...facts.abilities, HAS_DESKS] } }))
    expect(await line.until('desks')).toMatchObject({ desks: [{ robot: robot.name, user: 'clerk', questions: [] }] })
    await line.say({ type: 'there', robots: [robot.name] })
    const jobId = await makeJob({ target: { robot: robot.name } }, 'Sort the post')
    const run = (await startRun(ADMIN, startSchema.parse({ jobId }))).id
    await askAround(Date.now())
    await gateway.sendDesks()
    const { desks } = await line.until('desks', (message) => (message.desks[0]?.questions.length ?? 0) > 0)
    const question = desks[0]?.questions[0]
    expect(question).toMatchObject({ run, title: 'Sort the post', from: ADMIN.name, how: 'asked' })
    const request = randomUUID()
    await line.say({ type: 'desk', robot: robot.name, request, ask: { do: 'now', ask: question?.ask ?? 0 } })
    expect(await line.until('desk')).toMatchObject({ request, answer: { ok: true } })
    await line.say({ type: 'desk', robot: robot.name, request: randomUUID(), ask: { do: 'shout' } })
    expect(await line.until('desk', (message) => !message.answer.ok)).toBeTruthy()
    expect(await many(null, 'SELECT state FROM desk_asks WHERE run_id = $1', [run])).toEqual([{ state: 'agreed' }])
  })
})

it('an agent that is asked to tell what it does is told so, also when it comes back, and that it is enough', async () => {
  const { facts } = hello() as { facts: { abilities: string[] } }
  const greet = async (): Promise<Line> => {
    const line = call(credentialOf(name))
    await line.say(hello({ facts: { ...facts, abilities: [...facts.abilities, TRACES] } }))
    await line.until('welcome')
    return line
  }
  const first = await greet()
  expect(await first.until('trace')).toEqual({ type: 'trace', of: null })
  const { id } = await startTrace(ADMIN, agentId, { minutes: 5 })
  await gateway.sendTraces()
  expect(await first.until('trace', ({ of }) => of !== null)).toMatchObject({ of: { trace: id } })
  first.end()
  const line = await greet()
  expect(await line.until('trace')).toMatchObject({ of: { trace: id } })
  await line.say({ type: 'trace', trace: id, lines: [{ at: Date.now(), what: 'takes', facts: { attempt: 3 } }] })
  await eventually(async () => (await listTraces(ADMIN, agentId))[0]?.lines === 1)
  await endTrace(ADMIN, id)
  await gateway.sendTraces()
  expect(await line.until('trace', ({ of }) => of === null)).toBeTruthy()
  // One that ended while the agent was away: it may still know of it.
  line.end()
  expect(await (await greet()).until('trace')).toEqual({ type: 'trace', of: null })
})

describe('the gateway lets in', () => {
  it('an agent by its credential, takes over its facts, and tells it its settings', async () => {
    const line = await greeted()
    expect(await line.until('welcome')).toMatchObject({
      agent: name,
      heartbeatSeconds: 10,
      slots: 4,
      draining: false,
      gateways: ['wss://a.example/agent', 'wss://b.example/agent'],
    })
    expect(await one(null, 'SELECT version FROM agents WHERE id = $1', [agentId])).toEqual({ version: '1.2.0' })
    const events = await many<{ kind: string }>(null, 'SELECT kind FROM agent_events WHERE agent_id = $1', [agentId])
    expect(events.map(({ kind }) => kind).sort()).toEqual(['connected', 'version changed'])
  })

  it('nobody else', async () => {
    const line = call('somebody')
    expect(await line.until('refused')).toMatchObject({ code: 'unknown-credential', retry: false })
    await line.closed
    expect(line.status).toBe(401)
  })

  it.each<[string, object | string, string]>([
    ['an older protocol', { protocol: 0 }, 'Bring the agent up to date'],
    ['a newer protocol', { protocol: 99 }, 'Bring this server up to date'],
  ])('not %s, and says what to do', async (_, change, message) => {
    const line = call(credentialOf(name))
    await line.say(hello(change as object))
    const refused = await line.until('refused')
    expect(refused).toMatchObject({ code: 'version-mismatch', retry: true })
    expect(refused.message).toContain(message)
  })

  it.each<[string, object | string, string]>([
    ['what is not JSON', '{', 'bad-message'],
    ['an unknown message', { type: 'shout' }, 'bad-message'],
    ['a message before hello', { type: 'heartbeat', load: 1, used: 0 }, 'no-hello'],
  ])('not %s', async (_, message, code) => {
    const line = call(credentialOf(name))
    await line.say(message)
    expect((await line.until('refused')).code).toBe(code)
    expect(await line.closed).toBe(4000)
  })

  it('the newer of two connections of one agent: the old one may be half dead', async () => {
    const old = await greeted()
    await greeted()
    await old.closed
    expect(gateway.agentIds.filter((id) => id === agentId)).toHaveLength(1)
  })
})

describe('the gateway', () => {
  it('sends a lease once, stores each report once, and acknowledges what is stored', async () => {
    const line = await greeted()
    const run = await readyRun()
    await lease(run, agentId)
    await gateway.deliver()
    await gateway.deliver()
    const { lease: given } = await line.until('lease')
    expect(given).toMatchObject({ run, try: 1, action: { kind: 'command', command: 'true' } })
    const of = { attempt: given.attempt, token: given.token }
    await line.say({ type: 'accepted', ...of })
    await line.say(report(of, 1, started, output('one', 'two')))
    await line.say(report(of, 2, output('one', 'two'), ended(0)))
    await eventually(async () => (await stateOf(run)).state === 'succeeded')
    expect(await outputOf(given.attempt)).toEqual(['one', 'two'])
    await eventually(async () => line.heard.some((m) => m.type === 'ack' && m.acks.some(([, seq]) => seq === 3)))
    expect(line.heard.filter(({ type }) => type === 'lease')).toHaveLength(1)
  })

  it('asks again for what is missing, and stores nothing beyond the gap', async () => {
    const line = await greeted()
    const run = await readyRun()
    const of = await lease(run, agentId)
    await line.say(report(of, 1, started))
    await line.say(report(of, 3, output('after the gap')))
    expect(await line.until('resend')).toEqual({ type: 'resend', attempt: of.attempt, from: 2 })
    expect(await outputOf(of.attempt)).toEqual([])
  })

  it('asks again with growing pauses, not with every report; what nobody has is passed over with a word, and the run goes on', async () => {
    const line = await greeted()
    const run = await readyRun()
    const of = await lease(run, agentId)
    await line.say(report(of, 1, started))
    const sinceMs = Date.now()
    await line.say(report(of, 5, output('after the gap')))
    await line.until('resend')
    for (let i = 0; i < 50; i++) await line.say(report(of, 5, output('after the gap')))
    await line.say({ type: 'gone', ...of, from: 2, to: 3 })
    await line.until('resend', ({ from }) => from === 4)
    // At once, then after half a second, and twice as long each time.
    const mostAsked = 1 + Math.floor(Math.log2(1 + (Date.now() - sinceMs) / 500))
    expect(line.heard.filter((m) => m.type === 'resend' && m.from === 2).length).toBeLessThanOrEqual(mostAsked)
    await line.say(report(of, 4, output('four'), output('after the gap'), ended(0)))
    await eventually(async () => (await stateOf(run)).state === 'succeeded')
    expect(await outputOf(of.attempt)).toEqual([
      expect.stringMatching(/^Reports 2–3 are gone/),
      'four',
      'after the gap',
    ])
  })

  it('passes over nothing that is another’s, or that is there', async () => {
    const line = await greeted()
    const of = await lease(await readyRun(), agentId)
    await line.say(report(of, 1, started))
    await line.acked(of.attempt, 1)
    for (const wrong of [
      { from: 1, to: 3 },
      { from: 3, to: 4 },
      { from: 2, to: 1 },
      { token: of.token + 1, from: 2, to: 3 },
    ])
      expect(await passGap(agentId, { ...of, ...wrong })).toBe(false)
    expect(await passGap(agentId + 1000, { ...of, from: 2, to: 3 })).toBe(false)
    expect(await passGap(agentId, { ...of, from: 2, to: 3 })).toBe(true)
  })

  it('is told again what a restored database has forgotten: the run ends as it did', async () => {
    const run = await readyRun()
    const of = await lease(run, agentId)
    await execute(null, `UPDATE attempts SET state = 'running', report_seq = 1 WHERE id = $1`, [of.attempt])
    const line = call(credentialOf(name))
    await line.say(hello({ kept: [of] }))
    expect(await line.until('resend')).toEqual({ type: 'resend', attempt: of.attempt, from: 2 })
    await line.say(report(of, 2, output('as it was'), ended(0)))
    await eventually(async () => (await stateOf(run)).state === 'succeeded')
    expect(await outputOf(of.attempt)).toEqual(['as it was'])
  })

  it('knows by what an agent has seen that its database was restored, and starts nothing by itself until somebody has looked', async () => {
    const seen = { attempt: 9_000_001, token: 9_000_002, run: 9_000_003 }
    const starts = async (): Promise<unknown> =>
      (await one<{ value: { on: boolean } }>(null, `SELECT value FROM settings WHERE key = 'starts'`)).value.on
    const greet = async (proof: string): Promise<void> => {
      const line = call(credentialOf(name))
      await line.say(hello({ last: { ...seen, proof } }))
      await line.until('welcome')
    }
    await greet('made up')
    expect(await starts()).toBe(true)
    await greet(proofOf(seen))
    expect(await starts()).toBe(false)
    const troubles = await many<{ evidence: string }>(null, `SELECT evidence FROM matters WHERE subject = 'restored'`)
    expect(troubles[0]?.evidence).toContain(`${name} carried out run #9000003`)
    // Numbers that were given out since are not given out again.
    await execute(null, `UPDATE settings SET value = '{"on": true}' WHERE key = 'starts'`)
    expect(await readyRun()).toBeGreaterThan(9_000_003)
    await greet(proofOf(seen))
    expect(await starts()).toBe(true)
  })

  it('hands nothing new to an agent whose disk is full, tells a person, and goes on by itself when there is room', async () => {
    const line = await greeted()
    const beat = async (full: boolean): Promise<void> => {
      await line.say({ type: 'heartbeat', load: 0.1, used: 0, ...(full ? { full } : {}) })
      await eventually(async () => {
        await gateway.keepAlive()
        const row = await one<{ full: boolean }>(
          null,
          'SELECT full_since IS NOT NULL AS full FROM agent_contacts WHERE agent_id = $1',
          [agentId],
        )
        return row.full === full
      })
      await watchAgents()
    }
    const matters = (): Promise<{ state: string; title: string }[]> =>
      many(null, `SELECT state, title FROM matters WHERE subject = $1`, [`disk of agent ${agentId}`])
    const run = await readyRun()
    await beat(true)
    await beat(true)
    expect(await whyWaiting(ADMIN, run)).toMatchObject({
      lacks: expect.arrayContaining([{ agent: name, lacks: ['has no room on its disk'] }]),
    })
    expect(await matters()).toEqual([{ state: 'open', title: `The disk of ${name} is full` }])
    await beat(false)
    expect(await matters()).toEqual([{ state: 'closed', title: `The disk of ${name} is full` }])
    expect(JSON.stringify(await whyWaiting(ADMIN, run))).not.toContain('no room')
  })

  it('refuses a report under another token, which changes nothing', async () => {
    const line = await greeted()
    const run = await readyRun()
    const of = await lease(run, agentId)
    const before = await stateOf(run)
    await line.say(report({ ...of, token: of.token + 1000 }, 1, started, ended(0)))
    expect(await line.until('stale')).toMatchObject({ attempt: of.attempt })
    expect(await stateOf(run)).toEqual(before)
  })

  it('does not send a lease again that the agent says it has', async () => {
    const run = await readyRun()
    const of = await lease(run, agentId)
    const line = await greeted([of])
    await gateway.deliver()
    await line.say(report(of, 1, started, ended(0)))
    await eventually(async () => (await stateOf(run)).state === 'succeeded')
    expect(line.heard.some(({ type }) => type === 'lease')).toBe(false)
  })

  it('gives up what an agent had accepted and came back without', async () => {
    const first = await greeted()
    const run = await readyRun()
    const of = await lease(run, agentId)
    await first.say({ type: 'accepted', ...of })
    await first.say(report(of, 1, started))
    await eventually(
      async () =>
        (await many(null, `SELECT 1 FROM attempts WHERE id = $1 AND state = 'running'`, [of.attempt])).length === 1,
    )
    first.end()
    await greeted([])
    expect((await stateOf(run)).reason).toContain('came back without it')
  })

  it('passes on changed settings once, and cuts off a revoked agent', async () => {
    const line = await greeted()
    await gateway.applySettings()
    await execute(null, 'UPDATE agents SET slots = 9, draining = true WHERE id = $1', [agentId])
    await gateway.applySettings()
    await gateway.applySettings()
    await execute(null, 'UPDATE agents SET credential_hash = NULL WHERE id = $1', [agentId])
    await gateway.applySettings()
    expect((await line.until('refused')).code).toBe('revoked')
    expect(line.heard.filter(({ type }) => type === 'settings')).toEqual([
      { type: 'settings', slots: 4, draining: false },
      { type: 'settings', slots: 9, draining: true },
    ])
  })

  it('stores when it heard of an agent, and notes that it went', async () => {
    const line = await greeted()
    await execute(null, `UPDATE agent_contacts SET last_contact_at = now() - interval '1 hour' WHERE agent_id = $1`, [
      agentId,
    ])
    await line.say({ type: 'heartbeat', load: 0.75, used: 0 })
    await eventually(async () => {
      await gateway.keepAlive()
      const row = await one<{ load: number | null; recent: boolean }>(
        null,
        `SELECT load, last_contact_at > now() - interval '1 minute' AS recent FROM agent_contacts WHERE agent_id = $1`,
        [agentId],
      )
      return row.load === 0.75 && row.recent
    })
    line.end()
    await eventually(
      async () =>
        (
          await one<{ engine: string | null }>(
            null,
            'SELECT engine_id AS engine FROM agent_contacts WHERE agent_id = $1',
            [agentId],
          )
        ).engine === null,
    )
  })

  it('answers a health check, and says what it is to a browser', async () => {
    expect((await fetch(`http://127.0.0.1:${port}/health`)).status).toBe(200)
    const other = await fetch(`http://127.0.0.1:${port}/`)
    expect([other.status, await other.text()]).toEqual([404, 'This is a gateway for agents.\n'])
  })
})
