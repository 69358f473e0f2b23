import { randomUUID } from 'node:crypto'
import { connect, type Socket } from 'node:net'
import { ended, lease, makeJob, output, outputOf, started, stateOf } from '@/service/fixtures.test-help'
import { extendLeases } from '@/service/runs/heard'
import { startRun, startSchema } from '@/service/runs/start'
import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { forgetLimits } from '@/store/limits'
import { Gateway } from './gateway'
import type { Reception } from './reception'
import { credentialOf, enrolled, eventually, freePort, hello, Line, report, receptionOf } from './line.test-help'
import { Sink } from './sink'

freshDatabase()

interface Engine {
  readonly id: string
  readonly gateway: Gateway
  readonly reception: Reception
  readonly sink: Sink
  readonly port: number
}
const engines: Engine[] = []
const lines: Line[] = []
const raw: Socket[] = []

async function startEngine(): Promise<Engine> {
  const id = randomUUID()
  const sink = new Sink()
  const gateway = new Gateway(id, sink, 10)
  const port = await freePort()
  const reception = await receptionOf(gateway, port)
  const engine = { id, gateway, reception, sink, port }
  engines.push(engine)
  return engine
}
beforeEach(startEngine)
afterEach(async () => {
  for (const line of lines.splice(0)) line.end()
  for (const socket of raw.splice(0)) socket.destroy()
  for (const { gateway, reception, sink } of engines.splice(0)) {
    gateway.stop()
    await reception.stop()
    await sink.stop()
  }
  for (const name of Object.keys(process.env)) if (name.startsWith('BUGLE_LIMIT_')) delete process.env[name]
  forgetLimits()
})

const engine = (): Engine => engines[0] as Engine
interface Agent {
  readonly id: number
  readonly name: string
  readonly line: Line
}
function call(name: string, port = engine().port): Line {
  const line = new Line(port, credentialOf(name))
  lines.push(line)
  return line
}
async function greet(name: string, change: object = {}, port?: number): Promise<Line> {
  const line = call(name, port)
  await line.say(hello(name, change))
  await line.until('welcome')
  return line
}
async function agent(): Promise<Agent> {
  const { id, name } = await enrolled()
  return { id, name, line: await greet(name) }
}
async function runOn({
  id,
  name,
}: {
  id: number
  name: string
}): Promise<{ run: number; attempt: number; token: number }> {
  const jobId = await makeJob({ target: { agent: name } })
  const { id: run } = await startRun(ADMIN, startSchema.parse({ jobId }))
  return { run, ...(await lease(run, id)) }
}
const refusedOf = (agentId: number): Promise<{ kind: string; times: number; reason: string }[]> =>
  many(null, 'SELECT kind, times, reason FROM refused_reports WHERE agent_id = $1 ORDER BY kind', [agentId])

describe('what one agent says', () => {
  it.each<[string, object]>([
    ['the text \\u0000 and lone surrogates in its output', output('a\0b', '\\u0000', '\uD800')],
    ['an exit code beyond 32 bits', { ...ended(0), end: { ...(ended(0) as { end: object }).end, exitCode: 1e15 } }],
    ['an instant that no clock tells', { ...started, at: 8.64e15 }],
    ['an output that is not one', { kind: 'output', lines: [[1, 'o']] }],
    ['an end that is not one', { kind: 'ended', at: 'yesterday' }],
  ])('keeps nobody else’s reports: %s', async (_, bad) => {
    const [odd, honest] = [await agent(), await agent()]
    const [its, theirs] = [await runOn(odd), await runOn(honest)]
    await odd.line.say(report(its, 1, bad, output('after it')))
    await honest.line.say(report(theirs, 1, started, output('here'), ended(0)))
    await honest.line.acked(theirs.attempt, 3)
    expect((await stateOf(theirs.run)).state).toBe('succeeded')
    // And its own next report is taken too: it is not sent again for ever. After an end nothing comes.
    if ((bad as { kind: string }).kind === 'ended') expect((await stateOf(its.run)).state).toBe('failed')
    else {
      await odd.line.acked(its.attempt, 2)
      expect(await outputOf(its.attempt)).toContain('after it')
    }
  })

  it('is refused with its reason when it cannot be read, counted, and the agent is told', async () => {
    const odd = await agent()
    const its = await runOn(odd)
    await odd.line.say(report(its, 1, started, { kind: 'output', lines: 'none' }, ended(0)))
    const told = await odd.line.until('unstorable')
    expect(told).toMatchObject({ attempt: its.attempt, seq: 2 })
    await odd.line.acked(its.attempt, 3)
    expect((await stateOf(its.run)).state).toBe('succeeded')
    expect((await outputOf(its.attempt))[0]).toContain('is not kept')
    expect(await refusedOf(odd.id)).toEqual([{ kind: 'unstorable', times: 1, reason: told.why }])
  })

  it('is divided when the database refuses it, until the one is found that cannot be stored', async () => {
    await execute(null, `ALTER TABLE output_chunks ADD CONSTRAINT odd CHECK (lines::text NOT LIKE '%poison%')`)
    try {
      const [odd, honest] = [await agent(), await agent()]
      const [its, theirs] = [await runOn(odd), await runOn(honest)]
      await odd.line.say(report(its, 1, started, output('fine'), output('poison'), output('fine too'), ended(0)))
      await honest.line.say(report(theirs, 1, started, output('here'), ended(0)))
      await Promise.all([honest.line.acked(theirs.attempt, 3), odd.line.acked(its.attempt, 5)])
      expect(await odd.line.until('unstorable')).toMatchObject({ seq: 3, why: 'The server could not store it.' })
      expect(await outputOf(its.attempt)).toEqual(['fine', expect.stringContaining('could not store it'), 'fine too'])
      expect((await stateOf(its.run)).state).toBe('succeeded')
      expect((await stateOf(theirs.run)).state).toBe('succeeded')
      // The database's own words are for the record, not for an agent or a reader of output.
      expect((await outputOf(its.attempt)).join()).not.toContain('constraint')
      expect(await one(null, 'SELECT reason FROM refused_reports WHERE agent_id = $1', [odd.id])).toEqual({
        reason: expect.stringContaining('constraint'),
      })
    } finally {
      await execute(null, 'ALTER TABLE output_chunks DROP CONSTRAINT odd')
    }
  })

  it('about its load is taken for no load when no machine has it, and everybody’s contact is stored', async () => {
    const [odd, honest] = [await agent(), await agent()]
    await execute(null, `UPDATE agent_contacts SET last_contact_at = now() - interval '1 hour'`)
    await odd.line.say('{"type":"heartbeat","load":1e300,"used":0}')
    await honest.line.say({ type: 'heartbeat', load: 0.5, used: 0 })
    await eventually(async () => {
      await engine().gateway.keepAlive()
      const rows = await many<{ load: number | null }>(
        null,
        `SELECT load FROM agent_contacts WHERE agent_id = ANY($1) AND last_contact_at > now() - interval '1 minute' ORDER BY agent_id`,
        [[odd.id, honest.id]],
      )
      return rows.length === 2 && rows[0]?.load === null && rows[1]?.load === 0.5
    })
  })

  it('about another’s attempt changes nothing for that one, in the same batch too', async () => {
    const [owner, thief] = [await agent(), await agent()]
    const its = await runOn(owner)
    await Promise.all([
      thief.line.say(report(its, 1, started, output('stolen'), ended(9))),
      owner.line.say(report(its, 1, started, output('mine'), ended(0))),
    ])
    await owner.line.acked(its.attempt, 3)
    await thief.line.until('stale')
    expect(owner.line.heard.some(({ type }) => type === 'stale')).toBe(false)
    expect((await stateOf(its.run)).state).toBe('succeeded')
    expect(await outputOf(its.attempt)).toEqual(['mine'])
    // Counted together, as an attempt that is not its own.
    expect(await many(null, 'SELECT attempt_id, times FROM refused_reports WHERE agent_id = $1', [thief.id])).toEqual([
      { attempt_id: 0, times: 3 },
    ])
  })

  it('without end is counted in one row, also hellos and comings and goings', async () => {
    const odd = await agent()
    for (let i = 1; i <= 300; i++) await odd.line.say(report({ attempt: 10_000_000 + i, token: i }, 1, started))
    await eventually(async () => (await refusedOf(odd.id))[0]?.times === 300)
    odd.line.end()
    for (let i = 0; i < 5; i++) (await greet(odd.name)).end()
    await eventually(async () => !engine().gateway.agentIds.includes(odd.id))
    const events = await many<{ kind: string; times: number }>(
      null,
      'SELECT kind, times FROM agent_events WHERE agent_id = $1 ORDER BY kind',
      [odd.id],
    )
    expect(events.map(({ kind }) => kind)).toEqual(['connected', 'disconnected', 'version changed'])
    expect(events[0]?.times).toBe(6)
  })

  it('twice as a greeting is refused', async () => {
    const { line, name } = await agent()
    await line.say(hello(name))
    expect((await line.until('refused')).code).toBe('bad-message')
  })

  it('that much was kept back while it was away is taken right after the welcome, however long the rest of the greeting takes', async () => {
    let goOn: () => void = () => undefined
    const held = new Promise<void>((resolve) => (goOn = resolve))
    const deliver = jest.spyOn(engine().gateway, 'deliver').mockImplementation(() => held)
    try {
      const late = await agent()
      const its = await runOn(late)
      // Twice what may come before a hello.
      for (let i = 0; i < 40; i++) await late.line.say(report(its, i + 1, output('x'.repeat(60_000))))
      await late.line.acked(its.attempt, 40)
    } finally {
      goOn()
      deliver.mockRestore()
    }
  })

  it('beyond the limit of output is not kept by the server either', async () => {
    process.env.BUGLE_LIMIT_OUTPUT_MIB = '1'
    forgetLimits()
    const odd = await agent()
    const its = await runOn(odd)
    const line = 'x'.repeat(60_000)
    for (let i = 0; i < 100; i++) await odd.line.say(report(its, i + 1, output(line)))
    await odd.line.say(report(its, 101, ended(0)))
    await odd.line.acked(its.attempt, 101)
    const row = await one<{ bytes: number; cut: boolean }>(
      null,
      'SELECT output_bytes AS bytes, output_cut AS cut FROM attempts WHERE id = $1',
      [its.attempt],
    )
    expect(row.cut).toBe(true)
    expect(row.bytes).toBeLessThan(4 * 1024 * 1024)
    expect((await stateOf(its.run)).state).toBe('succeeded')
  })
})

describe('an agent that floods', () => {
  it('is told to go slower, and another’s reports are stored meanwhile', async () => {
    process.env.BUGLE_LIMIT_AGENT_MESSAGES_PER_SECOND = '50'
    forgetLimits()
    const [flood, honest] = [await agent(), await agent()]
    const its = await runOn(flood)
    let isOver = false
    let sent = 0
    const flooding = (async () => {
      while (!isOver) {
        for (let i = 0; i < 200; i++) void flood.line.say(report(its, ++sent, output('x')))
        await new Promise((resolve) => setImmediate(resolve))
        if (flood.line.socket.bufferedAmount > 1e6) await new Promise((resolve) => setTimeout(resolve, 5))
      }
    })()
    await flood.line.until('slower')
    for (let i = 0; i < 10; i++) {
      const theirs = await runOn(honest)
      await honest.line.say(report(theirs, 1, started, output('here'), ended(0)))
      await honest.line.acked(theirs.attempt, 3)
    }
    isOver = true
    await flooding
    const { seq } = await one<{ seq: number }>(null, 'SELECT report_seq AS seq FROM attempts WHERE id = $1', [
      its.attempt,
    ])
    expect(seq).toBeLessThan(sent)
    // It is held, not silent: it stays.
    await engine().gateway.keepAlive()
    expect(engine().gateway.agentIds).toContain(flood.id)
  })
})

describe('at the door', () => {
  const open = (bytes: string): Promise<{ socket: Socket; answer: Promise<string> }> =>
    new Promise((resolve) => {
      const socket = connect(engine().port, '127.0.0.1', () => {
        socket.write(bytes)
        resolve({ socket, answer })
      })
      raw.push(socket)
      socket.on('error', () => undefined)
      const answer = new Promise<string>((done) => {
        let text = ''
        socket.on('data', (chunk) => (text += chunk.toString('latin1')))
        socket.on('close', () => done(text))
      })
    })
  const upgrade = (credential: string, more = ''): string =>
    `GET /agent HTTP/1.1\r\nHost: x\r\nConnection: Upgrade\r\nUpgrade: websocket\r\nSec-WebSocket-Version: 13\r\nSec-WebSocket-Key: AAAAAAAAAAAAAAAAAAAAAA==\r\nAuthorization: Bearer ${credential}\r\n${more}\r\n`

  it('nothing is read of who has no credential: the answer is 401, and the line is closed', async () => {
    const { socket, answer } = await open(upgrade('nobody'))
    let isClosed = false
    let taken = 0
    void answer.then(() => (isClosed = true))
    const pour = (): void => {
      if (!isClosed) socket.write(Buffer.alloc(1024 * 1024), (error) => (error ? undefined : (taken++, pour())))
    }
    pour()
    expect(await answer).toMatch(/^HTTP\/1\.1 401 /)
    expect(taken).toBeLessThan(32)
  })

  it('who says no hello in time is cut off, with a credential or without a word', async () => {
    process.env.BUGLE_LIMIT_GATEWAY_HELLO_SECONDS = '0.5'
    forgetLimits()
    await startEngine()
    const { name } = await enrolled()
    const { port } = engines.at(-1) as Engine
    const silent = call(name, port)
    const mute = connect(port, '127.0.0.1')
    raw.push(mute)
    await Promise.all([silent.closed, new Promise((resolve) => mute.on('close', resolve))])
  })

  it('more than a hello is not read before the hello', async () => {
    const { name } = await enrolled()
    const line = call(name)
    await line.opened()
    line.socket.send(Buffer.alloc(3 * 1024 * 1024))
    expect(await line.closed).not.toBe(4000)
  })

  it('what a refused connection still sends is dropped', async () => {
    const odd = await agent()
    const its = await runOn(odd)
    await odd.line.say({ type: 'shout' })
    await odd.line.say(report(its, 1, started, output('too late'), ended(0)))
    await odd.line.closed
    expect((await stateOf(its.run)).state).toBe('running')
    expect(await outputOf(its.attempt)).toEqual([])
  })

  it('an address has only so many connections that have not said hello', async () => {
    process.env.BUGLE_LIMIT_GATEWAY_GREETING_PER_ADDRESS = '3'
    forgetLimits()
    const { name } = await enrolled()
    const silent = [call(name), call(name), call(name)]
    await Promise.all(silent.map((line) => line.opened()))
    const refused = call(name)
    expect(await refused.until('refused')).toMatchObject({ code: 'too-many', retry: true })
    expect(refused.status).toBe(429)
    silent[0]?.end()
    await silent[0]?.closed
    await eventually(async () => {
      const line = call(name)
      await Promise.race([line.opened(), line.closed])
      return line.status === undefined
    })
  })

  it('an address begins only so many connections a second', async () => {
    process.env.BUGLE_LIMIT_GATEWAY_UPGRADES_PER_SECOND = '2'
    forgetLimits()
    const answers = await Promise.all(Array.from({ length: 12 }, async () => (await open(upgrade('nobody'))).answer))
    expect(answers.filter((text) => text.startsWith('HTTP/1.1 401')).length).toBeGreaterThanOrEqual(4)
    expect(answers.filter((text) => text.startsWith('HTTP/1.1 429')).length).toBeGreaterThanOrEqual(6)
  })
})

describe('one connection for each agent', () => {
  it('over all engines: the older one is ended by its engine, and what it says is refused', async () => {
    const other = await startEngine()
    const { id, name } = await enrolled()
    const old = await greet(name)
    const its = await runOn({ id, name })
    await greet(name, { held: [{ attempt: its.attempt, token: its.token }] }, other.port)
    await old.say(report(its, 1, started, output('from the old one')))
    expect((await old.until('refused')).code).toBe('superseded')
    expect(await outputOf(its.attempt)).toEqual([])
    expect(await refusedOf(id)).toMatchObject([{ kind: 'superseded', times: 2 }])
  })

  it('which is seen also when the older one says nothing, and it is given no lease', async () => {
    const other = await startEngine()
    const { id, name } = await enrolled()
    const old = await greet(name)
    const fresh = await greet(name, {}, other.port)
    await runOn({ id, name })
    await Promise.all([engine().gateway.deliver(), other.gateway.deliver()])
    await fresh.until('lease')
    await engine().gateway.applySettings()
    expect((await old.until('refused')).code).toBe('superseded')
    expect(old.heard.some(({ type }) => type === 'lease')).toBe(false)
  })

  it('is said to a person when two agents use one credential', async () => {
    const { id, name } = await enrolled()
    const first = await greet(name, { instance: 'first' })
    const copy = await greet(name, { instance: 'copy' })
    await first.closed
    // Replaced, and yet it comes back: a program that was started again would have another name.
    const back = call(name)
    await back.say(hello(name, { instance: 'first' }))
    expect((await back.until('refused')).code).toBe('cloned')
    expect(copy.heard.some(({ type }) => type === 'refused')).toBe(false)
    const matter = await one<{ title: string }>(
      null,
      `SELECT title FROM matters WHERE kind = 'trouble' AND agent_id = $1`,
      [id],
    )
    expect(matter.title).toContain(name)
  })

  it('a closed one does not make its agent look alive, however close and keep-alive meet', async () => {
    const { id, name } = await enrolled()
    for (let i = 0; i < 25; i++) {
      const line = await greet(name)
      await line.say({ type: 'heartbeat', load: 0.1, used: 0 })
      const kept = engine().gateway.keepAlive()
      line.end()
      await Promise.all([kept, engine().gateway.keepAlive()])
      await eventually(async () => !engine().gateway.agentIds.includes(id))
      await engine().gateway.keepAlive()
      await eventually(async () => {
        const row = await one<{ engine: string | null }>(
          null,
          'SELECT engine_id AS engine FROM agent_contacts WHERE agent_id = $1',
          [id],
        )
        return row.engine === null
      })
    }
  })

  it('that was replaced extends no lease', async () => {
    const { id, name } = await enrolled()
    await greet(name)
    const { connection } = await one<{ connection: number }>(
      null,
      'SELECT connection FROM agent_contacts WHERE agent_id = $1',
      [id],
    )
    expect(await extendLeases([{ agentId: id, connection: connection - 1, load: 1 }])).toEqual(new Set())
    expect(await extendLeases([{ agentId: id, connection, load: 1 }])).toEqual(new Set([id]))
  })

  it('of a revoked agent ends, also before its hello', async () => {
    const { id, name } = await enrolled()
    const [greeted, silent] = [await greet(name), call(name)]
    await silent.opened()
    await execute(null, 'UPDATE agents SET credential_hash = NULL WHERE id = $1', [id])
    await engine().gateway.applySettings()
    expect((await greeted.until('refused')).code).toBe('revoked')
    expect((await silent.until('refused')).code).toBe('revoked')
    // One that is revoked between its credential and its hello is not let in either.
    await execute(null, 'UPDATE agents SET credential_hash = $2 WHERE id = $1', [id, 'another'])
    expect((await call(name).until('refused')).code).toBe('unknown-credential')
  })
})

describe('a lease that cannot be made', () => {
  it('is sent to nobody: its run fails and says why, and all others are delivered', async () => {
    const { id, name, line } = await agent()
    const jobId = await makeJob({
      target: { agent: name },
      inputs: [{ name: 'word', title: '', type: 'secret', options: [], default: null, ask: true }],
    })
    const start = async (): Promise<number> =>
      (await startRun(ADMIN, startSchema.parse({ jobId, inputs: { word: 'open sesame' } }))).id
    const [broken, moved, good] = [await start(), await start(), await start()]
    await execute(null, `UPDATE runs SET secrets = '\\x00' WHERE id = $1`, [broken])
    // What was sealed for one run does not open for another.
    await execute(null, `UPDATE runs SET secrets = (SELECT secrets FROM runs WHERE id = $2) WHERE id = $1`, [
      moved,
      good,
    ])
    for (const run of [broken, moved, good]) await lease(run, id)
    await engine().gateway.deliver()
    expect((await line.until('lease')).lease).toMatchObject({ run: good, inputs: { word: 'open sesame' } })
    for (const run of [broken, moved])
      expect(await stateOf(run)).toMatchObject({
        state: 'failed',
        reason: expect.stringContaining('cannot be opened') as string,
      })
    expect(line.heard.filter(({ type }) => type === 'lease')).toHaveLength(1)
  })
})
