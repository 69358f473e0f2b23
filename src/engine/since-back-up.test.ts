import { randomUUID } from 'node:crypto'
import type { Lease } from '@/agent/protocol'
import { ended, makeJob, output, outputOf, started, stateOf } from '@/service/fixtures.test-help'
import { advance, makeFlow, picture, readySteps, startFlow, stepsOf } from '@/service/flows/flow.test-help'
import { handOut } from '@/service/runs/hand-out'
import { takeLeadership } from '@/service/runs/leadership'
import { sayRestored } from '@/service/runs/restored'
import { storeReports } from '@/service/runs/reports'
import { leaseKey } from '@/service/runs/sort-reports'
import { startRun, startSchema } from '@/service/runs/start'
import { decideFound, releaseRestored, sinceBackUp } from '@/service/runs/taking'
import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, one, transaction } from '@/store/db'
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
/** Statements that wait for a row's lock. */
const WAITING = `SELECT count(*)::int AS n FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'`
let gateway: Gateway
let reception: Reception
let sink: Sink
let port: number
let agentId: number
let name: string
let epoch: number
const lines: Line[] = []

async function greeted(change: object = {}): Promise<Line> {
  const line = new Line(port, credentialOf(name))
  lines.push(line)
  await line.say(helloOf(name, change))
  await line.until('welcome')
  return line
}
const readyRun = async (title?: string): Promise<number> =>
  (await startRun(ADMIN, startSchema.parse({ jobId: await makeJob({ target: { agent: name } }, title) }))).id
/** As the agent got it. */
async function leased(line: Line, run: number): Promise<Lease> {
  await handOut(epoch, [{ runId: run, agentId }])
  await gateway.deliver()
  return (await line.until('lease', ({ lease }) => lease.run === run)).lease
}
/** The database is as it was before these runs were made. */
async function forget(...leases: readonly Lease[]): Promise<void> {
  await execute(null, 'DELETE FROM runs WHERE id = ANY($1)', [leases.map(({ run }) => run)])
  const [first] = leases
  await execute(null, `SELECT setval('lease_tokens', $1), setval('attempts_id_seq', $2), setval('runs_id_seq', $3)`, [
    (first as Lease).token - 1,
    (first as Lease).attempt - 1,
    (first as Lease).run - 1,
  ])
  await execute(null, `UPDATE settings SET value = 'null' WHERE key = 'restored'`)
}
const of = ({ attempt, token }: Lease): { attempt: number; token: number } => ({ attempt, token })
const last = (lease: Lease): object => ({ last: { ...of(lease), run: lease.run, proof: lease.proof } })
const told = async (): Promise<number[]> => (await sinceBackUp(ADMIN)).runs.map(({ run }) => run)
const answer = async (line: Line, ...leases: readonly Lease[]): Promise<void> => {
  await line.until('receipts')
  await line.say({ type: 'receipts', receipts: leases.map(({ receipt }) => receipt) })
  await eventually(async () => (await told()).length === leases.length)
}

beforeAll(async () => {
  port = await freePort()
  sink = new Sink()
  gateway = new Gateway(ENGINE, sink, 10)
  reception = await receptionOf(gateway, port)
  epoch = await takeLeadership(ENGINE)
  await execute(null, `SELECT setval('lease_tokens', 100), setval('attempts_id_seq', 200), setval('runs_id_seq', 300)`)
})
beforeEach(async () => {
  await execute(null, 'DELETE FROM found_attempts')
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

describe('what an agent did since a back-up', () => {
  it('is told to a person, taken into the record under its number, and told again by its agent', async () => {
    const before = await greeted()
    const lease = await leased(before, await readyRun())
    before.end()
    await forget(lease)

    const line = await greeted({ kept: [of(lease)], ...last(lease) })
    expect(await line.until('receipts')).toEqual({ type: 'receipts', attempts: [lease.attempt] })
    await answer(line, lease)
    const [found] = (await sinceBackUp(ADMIN)).runs
    expect(found).toMatchObject({
      run: lease.run,
      title: lease.title,
      agent: name,
      by: ADMIN.name,
      try: 1,
      why: null,
      goesOn: false,
    })

    expect(await decideFound(ADMIN, { act: 'take', attempts: [of(lease)] })).toEqual({
      done: [lease.run],
      passedOver: [],
    })
    await gateway.applySettings()
    expect(await line.until('resend')).toEqual({ type: 'resend', attempt: lease.attempt, from: 1 })
    await line.say(report(lease, 1, started, output('as it was'), ended(0)))
    await eventually(async () => (await stateOf(lease.run)).state === 'succeeded')
    expect(await outputOf(lease.attempt)).toEqual(['as it was'])
    expect(await told()).toEqual([])
  })

  it('goes on while nobody has decided, and is only then kept or given up', async () => {
    const before = await greeted()
    const [kept, left] = [await leased(before, await readyRun()), await leased(before, await readyRun())]
    before.end()
    await forget(kept, left)

    const line = await greeted({ held: [of(kept), of(left)], ...last(left) })
    await line.say(report(kept, 1, started))
    await line.say(report(left, 1, started))
    await answer(line, kept, left)
    expect((await sinceBackUp(ADMIN)).runs.map(({ goesOn }) => goesOn)).toEqual([true, true])
    expect(line.heard.filter(({ type }) => type === 'stale' || type === 'ack')).toEqual([])

    expect(await decideFound(ADMIN, { act: 'take', attempts: [of(kept)] })).toEqual({
      done: [kept.run],
      passedOver: [],
    })
    await decideFound(ADMIN, { act: 'leave', attempts: [of(left)] })
    await line.say(report(kept, 1, started, ended(0)))
    await line.say(report(left, 1, started))
    expect(await line.until('stale')).toMatchObject({ attempt: left.attempt })
    await eventually(async () => (await stateOf(kept.run)).state === 'succeeded')
  })

  it('is not refused in the moment in which a person takes it in', async () => {
    const before = await greeted()
    const [other, taken] = [await leased(before, await readyRun()), await leased(before, await readyRun())]
    before.end()
    await forget(taken)
    const line = await greeted({ held: [of(other), of(taken)], ...last(taken) })
    await answer(line, taken)

    const says = [other, taken].map((lease) => ({ agentId, ...of(lease), seq: 1, body: started }))
    // Storing has looked for the attempts, and waits for the first of them, while the second is taken in.
    const { storing } = await transaction(async (tx) => {
      await execute(tx, 'SELECT 1 FROM attempts WHERE id = $1 FOR UPDATE', [other.attempt])
      const storing = storeReports(says)
      await eventually(async () => (await one<{ n: number }>(null, WAITING)).n > 0)
      await decideFound(ADMIN, { act: 'take', attempts: [of(taken)] })
      return { storing }
    })
    const { acks, stale } = await storing
    expect([...stale]).toEqual([])
    expect(acks.get(leaseKey({ agentId, ...of(other) }))).toBe(1)
  })

  it('is nobody’s word without this server’s signature', async () => {
    const before = await greeted()
    const lease = await leased(before, await readyRun())
    before.end()
    await forget(lease)
    const line = await greeted({ kept: [of(lease)], ...last(lease) })
    await line.until('receipts')
    const [body, signature] = (lease.receipt as string).split('.')
    const other = Buffer.from(
      Buffer.from(body as string, 'base64url')
        .toString()
        .replace(`"run":${lease.run}`, `"run":${lease.run + 1}`),
    ).toString('base64url')
    for (const receipt of [`${other}.${signature}`, 'made up', '', body])
      await line.say({ type: 'receipts', receipts: [receipt] })
    await line.say({ type: 'receipts', receipts: [lease.receipt] })
    await eventually(async () => (await told()).length === 1)
    expect(await told()).toEqual([lease.run])
  })

  it('is its own agent’s alone: what another claims of it keeps nobody out, and tells nothing', async () => {
    const before = await greeted()
    const lease = await leased(before, await readyRun())
    before.end()
    await forget(lease)
    const mine = { agentId, name }
    ;({ id: agentId, name } = await enrolled())
    const thief = await greeted({ kept: [of(lease)], ...last(lease) })
    await thief.until('receipts')
    await thief.say({ type: 'receipts', receipts: [lease.receipt] })
    ;({ agentId, name } = mine)
    const line = await greeted({ kept: [of(lease)], ...last(lease) })
    await answer(line, lease)
    expect((await sinceBackUp(ADMIN)).runs.map(({ agent }) => agent)).toEqual([name])
    expect((await decideFound(ADMIN, { act: 'take', attempts: [of(lease)] })).done).toEqual([lease.run])
  })

  it('lets a flow go on that was under way at the back-up, with nothing done twice', async () => {
    const { id } = await makeFlow([{ id: 'a' }, { id: 'b', after: [{ step: 'a' }] }])
    const flow = await startFlow(id)
    const before = await greeted()
    const lease = await leased(before, (await readySteps(flow)).a as number)
    before.end()
    await forget(lease)
    await execute(null, `UPDATE flow_steps SET state = 'waiting' WHERE run_id = $1`, [flow])

    const line = await greeted({ kept: [of(lease)], ...last(lease) })
    await answer(line, lease)
    // The flow has gone on meanwhile: the step has another run, which is held.
    await execute(null, 'INSERT INTO flow_wakes (run_id) VALUES ($1)', [flow])
    await advance()
    const second = (await readySteps(flow)).a as number
    expect(await handOut(epoch, [{ runId: second, agentId }])).toEqual(new Set())
    expect(await decideFound(ADMIN, { act: 'take', attempts: [of(lease)] })).toEqual({
      done: [lease.run],
      passedOver: [],
    })
    await gateway.applySettings()
    await line.until('resend')
    await line.say(report(lease, 1, started, ended(0)))
    await eventually(async () => (await stateOf(lease.run)).state === 'succeeded')
    await advance()
    expect(await picture(flow)).toEqual(['running', 'a succeeded', 'b ready'])
    expect(await stateOf(second)).toMatchObject({
      state: 'cancelled',
      reason: `Run #${lease.run} was taken into the record.`,
    })
    expect((await stepsOf(flow)).get('b')?.heldBy).toBe('the restored database')
  })

  it('is refused where the record knows more, where nothing is known of its job, and while its agent is away', async () => {
    const before = await greeted()
    const [ends, unknown, away] = [
      await leased(before, await readyRun()),
      await leased(before, await readyRun()),
      await leased(before, await readyRun()),
    ]
    before.end()
    await forget(ends, unknown, away)
    const line = await greeted({ kept: [ends, unknown, away].map(of), ...last(away) })
    await answer(line, ends, unknown, away)
    const jobOf = (run: number): string =>
      `(SELECT (receipt->>'job')::bigint FROM found_attempts WHERE (receipt->>'run')::bigint = ${run})`
    await execute(null, `DELETE FROM jobs WHERE id = ${jobOf(unknown.run)}`)
    await execute(
      null,
      `INSERT INTO runs (id, job_id, job_version, area_id, target, kind, cause, state, priority, ended_at)
       SELECT $1, id, version, area_id, '{}', 'command', 'person', 'succeeded', 1, now() FROM jobs WHERE id = ${jobOf(ends.run)}`,
      [ends.run],
    )
    expect(await decideFound(ADMIN, { act: 'take', attempts: [of(ends), of(unknown)] })).toEqual({
      done: [],
      passedOver: [
        { run: ends.run, why: 'The record has an end of this run.' },
        { run: unknown.run, why: expect.stringContaining('is not known here') },
      ],
    })
    line.end()
    await eventually(async () => (await sinceBackUp(ADMIN)).runs.every(({ isConnected }) => !isConnected))
    const { passedOver } = await decideFound(ADMIN, { act: 'take', attempts: [of(away)] })
    expect(passedOver).toEqual([{ run: away.run, why: expect.stringContaining('is not connected') }])
  })

  it('is not asked about where nothing was restored, nor what was handed out before the back-up', async () => {
    await execute(null, `UPDATE settings SET value = 'null' WHERE key = 'restored'`)
    const line = await greeted({ kept: [{ attempt: 77, token: 88 }] })
    await line.say({ type: 'heartbeat', load: 0, used: 0 })
    await sayRestored()
    const second = await greeted({ kept: [{ attempt: 77, token: 1 }] })
    const run = await readyRun()
    await leased(second, run)
    expect([...line.heard, ...second.heard].filter(({ type }) => type === 'receipts')).toEqual([])
    expect(await one(null, 'SELECT count(*)::int AS n FROM found_attempts')).toEqual({ n: 0 })
  })
})

it('what had not begun at the back-up waits until it is released', async () => {
  const run = await readyRun()
  await sayRestored()
  await greeted()
  expect(await handOut(epoch, [{ runId: run, agentId }])).toEqual(new Set())
  expect((await sinceBackUp(ADMIN)).held).toBeGreaterThan(0)
  expect((await releaseRestored(ADMIN)).released).toBeGreaterThan(0)
  expect(await handOut(epoch, [{ runId: run, agentId }])).toEqual(new Set([run]))
  expect((await sinceBackUp(ADMIN)).held).toBe(0)
})
