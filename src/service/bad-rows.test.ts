import { randomUUID } from 'node:crypto'
import { Placer } from '@/engine/placer'
import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, many, maybeOne, one } from '@/store/db'
import { watchDeadlines } from './runs/deadlines'
import { fireDue } from './timing/firing'
import { connected, ended, lease, makeAgent, makeJob, report, started, stateOf } from './fixtures.test-help'
import { advanceFlows } from './flows/flow-advance'
import { addFlow } from './work/flows'
import { leasesToDeliver } from './runs/delivery'
import { failWithoutAccount, giveUpLost, releaseDue } from './runs/open-runs'
import { watchAgents } from './runs/matters'
import { queueNotices, sendNotices } from './notices/notice-sending'
import { addMailServer } from './notices/mail-servers'
import { addNotice } from './notices/notices'
import { startRun, startSchema } from './runs/start'
import { addTrigger, newTriggerSchema } from './timing/triggers'
import { watchUnreachable } from './runs/unreachable'
import { clearBoard, purge } from './runs/upkeep'

freshDatabase()

interface World {
  readonly agent: { readonly id: number; readonly name: string }
  readonly jobId: number
  readonly flowId: number
  readonly triggerId: number
  readonly noticeId: number
  /** A run that is ready, and a run of the flow. */
  readonly run: number
  readonly flowRun: number
  readonly accountId: number
}

/** One of each: what one loop or another reads. */
async function makeWorld(): Promise<World> {
  const name = `m-${randomUUID().slice(0, 8)}`
  const agent = { id: await makeAgent(name, 50), name }
  const slug = `a-${randomUUID().slice(0, 8)}`
  const { id: accountId } = await one<{ id: number }>(
    null,
    `INSERT INTO accounts (name, user_name, everywhere, changed_by) VALUES ($1, 'harbour', true, 'test') RETURNING id`,
    [slug],
  )
  const jobId = await makeJob({ target: { agent: name }, account: slug })
  const { slug: job, areaId } = await one<{ slug: string; areaId: number }>(
    null,
    'SELECT slug, area_id AS "areaId" FROM jobs WHERE id = $1',
    [jobId],
  )
  const { id: flowId } = await addFlow(ADMIN, {
    title: `flow ${randomUUID()}`,
    notes: '',
    areaId,
    active: true,
    definition: { priority: 'normal', inputs: [], steps: [{ id: 'only', job }], groups: [] },
  } as unknown as Parameters<typeof addFlow>[1])
  const { id: triggerId } = await addTrigger(
    ADMIN,
    newTriggerSchema.parse({
      title: `trigger ${randomUUID()}`,
      jobId,
      definition: { time: { every: { step: 'PT1M' } }, overlap: 'start', makeUp: 'once', lateStart: 'PT24H' },
      sure: true,
    }),
  )
  if (!(await maybeOne(null, `SELECT 1 FROM mail_servers WHERE name = 'away'`)))
    await addMailServer(ADMIN, {
      name: 'away',
      host: '127.0.0.1',
      port: 9,
      tls: false,
      from: 'a@b.example',
      account: null,
    })
  const { id: noticeId } = await addNotice(ADMIN, {
    title: 'tell',
    active: true,
    jobId,
    areaId: null,
    events: ['ended'],
    action: {
      kind: 'mail',
      server: 'away',
      to: ['c@d.example'],
      subject: 's',
      text: '',
    },
    account: null,
  } as unknown as Parameters<typeof addNotice>[1])
  const start = async (id: number): Promise<number> => (await startRun(ADMIN, startSchema.parse({ jobId: id }))).id
  return { agent, jobId, flowId, triggerId, noticeId, run: await start(jobId), flowRun: await start(flowId), accountId }
}

/** What every loop of an engine does, once; whatever it throws would keep everybody waiting. */
async function round(): Promise<void> {
  const { epoch } = await one<{ epoch: number }>(null, 'SELECT epoch FROM leadership')
  await fireDue(epoch, Date.now())
  await advanceFlows(Date.now())
  await releaseDue()
  await failWithoutAccount()
  await new Placer(epoch).placeOnce()
  await leasesToDeliver(
    await connected(...(await many<{ id: number }>(null, 'SELECT id FROM agents')).map(({ id }) => id)),
  )
  await giveUpLost('expired', 'gone')
  await watchAgents()
  await watchDeadlines()
  await watchUnreachable(Date.now())
  await queueNotices()
  await sendNotices()
  await clearBoard()
  await purge()
}

const GARBAGE = `'{"odd": [1, null]}'`

/** Table, and how a row of it goes bad: none of these can be written by the product itself. */
const PLANTED: readonly [string, (world: World) => string][] = [
  ['triggers', ({ triggerId }) => `UPDATE triggers SET definition = ${GARBAGE} WHERE id = ${triggerId}`],
  ['job_versions', ({ jobId }) => `UPDATE job_versions SET definition = ${GARBAGE} WHERE job_id = ${jobId}`],
  [
    'job_versions of a flow',
    ({ flowId }) => `UPDATE job_versions SET definition = ${GARBAGE} WHERE job_id = ${flowId}`,
  ],
  [
    'job_versions: keeping',
    ({ jobId }) =>
      `UPDATE job_versions SET definition = jsonb_set(definition, '{keeping}', '{"board": "after-hours", "boardHours": "x", "outputDays": "y", "historyDays": [1]}') WHERE job_id = ${jobId}`,
  ],
  [
    'job_versions: unreachable',
    ({ jobId }) =>
      `UPDATE job_versions SET definition = jsonb_set(definition, '{unreachable}', '{"then": "fail", "times": "x"}') WHERE job_id = ${jobId}`,
  ],
  ['runs: target', ({ run }) => `UPDATE runs SET target = ${GARBAGE} WHERE id = ${run}`],
  ['runs: locks', ({ run }) => `UPDATE runs SET locks = '{"x": "y"}' WHERE id = ${run}`],
  ['runs: inputs', ({ run }) => `UPDATE runs SET inputs = '[7]' WHERE id = ${run}`],
  ['runs: secrets', ({ run }) => `UPDATE runs SET secrets = '\\x00ff' WHERE id = ${run}`],
  ['runs: secrets of a flow', ({ flowRun }) => `UPDATE runs SET secrets = '\\x00ff' WHERE id = ${flowRun}`],
  ['runs: account', ({ run }) => `UPDATE runs SET account_id = NULL WHERE id = ${run}`],
  ['agents', ({ agent }) => `UPDATE agents SET labels = '[]', abilities = '"all"' WHERE id = ${agent.id}`],
  ['accounts', ({ accountId }) => `UPDATE accounts SET secret = '\\x00' WHERE id = ${accountId}`],
  ['notices', ({ noticeId }) => `UPDATE notices SET action = ${GARBAGE} WHERE id = ${noticeId}`],
  [
    'calendars',
    () =>
      `INSERT INTO calendars (slug, title, rule, saved_by) VALUES ('odd-${randomUUID()}', '${randomUUID()}', ${GARBAGE}, 'x')`,
  ],
  [
    'shared_values',
    () =>
      `INSERT INTO shared_values (name, title, secret, is_secret, changed_by) VALUES ('odd-${randomUUID()}', 'x', '\\x00', true, 'x')`,
  ],
  ['settings', () => `UPDATE settings SET value = ${GARBAGE} WHERE key = 'starts'`],
  [
    'flow_plans',
    ({ flowRun }) =>
      `UPDATE flow_plans SET bundle = ${GARBAGE} WHERE id = (SELECT plan_id FROM runs WHERE id = ${flowRun})`,
  ],
  ['flow_wakes', () => `INSERT INTO flow_wakes (run_id) SELECT id FROM runs WHERE kind <> 'flow' LIMIT 1`],
]

describe('one bad row keeps nobody else waiting', () => {
  it.each(PLANTED)('in %s', async (_, plant) => {
    const [bad, good] = [await makeWorld(), await makeWorld()]
    // The flow's plan is there once it has begun.
    if (_ === 'flow_plans') await advanceFlows(Date.now())
    await execute(null, `UPDATE settings SET value = value WHERE key = 'timing-version'`)
    await execute(null, plant(bad))
    await execute(null, `UPDATE triggers SET next_at = date_trunc('minute', now()) WHERE id = ANY($1)`, [
      [bad.triggerId, good.triggerId],
    ])
    // The minute may go over meanwhile; it is the one at the last look that is done.
    await round()
    const last = Date.now()
    await round()
    const row = await one<{ next: Date; runs: number }>(
      null,
      `SELECT next_at AS next, (SELECT count(*)::int FROM runs WHERE trigger_id = t.id) AS runs FROM triggers t WHERE id = $1`,
      [good.triggerId],
    )
    expect(row.runs).toBeGreaterThan(0)
    expect(row.next.getTime()).toBeGreaterThan(last)
    expect((await stateOf(good.run)).state).toBe('running')
    expect((await stateOf(good.flowRun)).state).toBe('running')
    const steps = await many<{ state: string }>(null, 'SELECT state FROM runs WHERE flow_run_id = $1', [good.flowRun])
    expect(steps).toEqual([{ state: 'running' }])
    const delivered = await leasesToDeliver(await connected(good.agent.id))
    expect(delivered.map(({ lease: { run } }) => run)).toContain(good.run)
    // What ends is told, and the notice is on its way.
    const at = delivered.find(({ lease: { run } }) => run === good.run)
    await report(good.agent.id, { attempt: at?.lease.attempt ?? 0, token: at?.lease.token ?? 0 }, 1, started, ended(0))
    await round()
    expect((await stateOf(good.run)).state).toBe('succeeded')
    expect(
      await many(null, 'SELECT attempts FROM notice_sends WHERE notice_id = $1 AND run_id = $2', [
        good.noticeId,
        good.run,
      ]),
    ).toEqual([{ attempts: 1 }])
    // What is bad does not wait for ever without a word.
    const waiting = await many<{ id: number; state: string; reason: string }>(
      null,
      `SELECT id, state, reason FROM runs WHERE id = ANY($1) AND state IN ('failed','ready','waiting','running')`,
      [[bad.run, bad.flowRun]],
    )
    for (const { state, reason } of waiting) if (state === 'failed') expect(reason).not.toBe('')
    await execute(null, `DELETE FROM calendars WHERE slug LIKE 'odd-%'`)
  })

  it('a trigger that takes too long to work out keeps no other from starting', async () => {
    const [{ triggerId: bad }, { triggerId: good }] = [await makeWorld(), await makeWorld()]
    // Every even second of a count of odd ones, looked for over a hundred years.
    const evens = Array.from({ length: 30 }, (_, i) => i * 2).join(',')
    const rrule = `FREQ=SECONDLY;INTERVAL=14;BYSECOND=${evens}`
    await execute(
      null,
      `UPDATE triggers SET definition = definition || $2::jsonb, version = version + 1, next_at = date_trunc('minute', now()) - interval '1 second' WHERE id = $1`,
      [bad, JSON.stringify({ time: { rrule, start: '2026-01-01T00:00:01' } })],
    )
    await execute(null, `UPDATE triggers SET next_at = date_trunc('minute', now()) WHERE id = $1`, [good])
    await round()
    expect(await many(null, 'SELECT why, detail FROM not_started WHERE trigger_id = $1', [bad])).toEqual([
      { why: 'fault', detail: expect.stringContaining('more than 24,000,000 steps') as string },
    ])
    expect(await many(null, 'SELECT 1 AS one FROM runs WHERE trigger_id = $1', [good])).toHaveLength(1)
  })

  it('a trigger that cannot be worked out stands still, is noted, and a person is told', async () => {
    const { triggerId } = await makeWorld()
    await execute(
      null,
      `UPDATE triggers SET definition = ${GARBAGE}, next_at = date_trunc('minute', now()) WHERE id = $1`,
      [triggerId],
    )
    await round()
    expect(await one(null, 'SELECT next_at AS next FROM triggers WHERE id = $1', [triggerId])).toEqual({ next: null })
    expect(await many(null, 'SELECT why FROM not_started WHERE trigger_id = $1', [triggerId])).toEqual([
      { why: 'fault' },
    ])
    expect(await many(null, `SELECT state FROM matters WHERE subject = $1`, [`trigger ${triggerId}`])).toEqual([
      { state: 'open' },
    ])
  })

  it('a secret that cannot be opened is the fault of the one trigger that takes it', async () => {
    const { triggerId, jobId } = await makeWorld()
    const name = `odd-${randomUUID()}`
    await execute(
      null,
      `INSERT INTO shared_values (name, title, secret, is_secret, changed_by) VALUES ($1, 'x', '\\x00', true, 'x')`,
      [name],
    )
    const input = { name: 'word', title: '', type: 'secret', options: [], default: { shared: name }, ask: true }
    await execute(
      null,
      `UPDATE job_versions SET definition = jsonb_set(definition, '{inputs}', $2::jsonb) WHERE job_id = $1`,
      [jobId, JSON.stringify([input])],
    )
    const due = await one<{ at: Date }>(
      null,
      `UPDATE triggers SET next_at = date_trunc('minute', now()) WHERE id = $1 RETURNING next_at AS at`,
      [triggerId],
    )
    await round()
    expect(await many(null, 'SELECT why, detail FROM not_started WHERE trigger_id = $1', [triggerId])).toEqual([
      { why: 'inputs', detail: expect.stringContaining('cannot be opened') as string },
    ])
    const { next } = await one<{ next: Date }>(null, 'SELECT next_at AS next FROM triggers WHERE id = $1', [triggerId])
    // A minute may begin meanwhile.
    expect(next.getTime()).toBeGreaterThan(due.at.getTime())
  })

  it('a run whose end follows a rule that cannot be read has ended all the same', async () => {
    const { agent, run, jobId } = await makeWorld()
    const of = await lease(run, agent.id)
    await execute(null, `UPDATE job_versions SET definition = ${GARBAGE} WHERE job_id = $1`, [jobId])
    await report(agent.id, of, 1, started, ended(0))
    expect((await stateOf(run)).state).toBe('failed')
  })
})
