import { randomUUID } from 'node:crypto'
import { ADMIN, freshDatabase, OPERATOR } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { connected, ended, makeAgent, makeJob, report, started, stateOf } from '@/service/fixtures.test-help'
import { Placer } from '@/engine/placer'
import { accountSchema, addAccount } from '@/service/fleet/accounts'
import { addPool } from '@/service/fleet/fleet'
import { addRobot, changeRobot, oneRobot, robotSchema } from '@/service/fleet/robots'
import { noteTried, triesToDeliver } from '@/service/fleet/sign-ins'
import type { JobDefinition } from '@/core/work/job'
import { askAround } from './asking'
import { desksOf, hearDesk, noteThere } from './desks'
import { takeLeadership } from './leadership'
import { oneRun, whyWaiting } from './run-page'
import { startRun, startSchema } from './start'

freshDatabase()

const MINUTE = 60_000
let agentId: number
let pool: string
let first: string
let second: string
let ids: Record<string, number>
let petra: number

/** Two people, each at a robot of one machine. */
beforeEach(async () => {
  await execute(null, 'DELETE FROM runs')
  const name = `quay-${randomUUID().slice(0, 8)}`
  agentId = await makeAgent(name)
  pool = `pool-${randomUUID().slice(0, 8)}`
  const poolId = (await addPool(ADMIN, { name: pool, title: pool })).id
  ;[first, second] = [`${name}-a`, `${name}-b`]
  ids = {}
  petra = (
    await one<{ id: number }>(
      null,
      `INSERT INTO people (email, name, role) VALUES ($1, 'Petra Flett', 'operator') RETURNING id`,
      [`${name}@marram.example`],
    )
  ).id
  for (const robot of [first, second]) {
    const account = { id: (await addAccount(ADMIN, accountSchema.parse({ name: robot, userName: robot }))).id }
    const asked = robotSchema.parse({ name: robot, agentId, account, kind: 'attended', poolIds: [poolId] })
    ids[robot] = (await addRobot(ADMIN, asked)).id
  }
  for (const { ask } of await triesToDeliver(await connected(agentId))) await noteTried(agentId, ask, null)
})

const start = async (definition: Partial<JobDefinition> = {}): Promise<number> => {
  const jobId = await makeJob({ target: { robotPool: pool }, ...definition })
  return (await startRun(ADMIN, startSchema.parse({ jobId }))).id
}
const place = async (): Promise<number> => new Placer(await takeLeadership(randomUUID())).placeOnce()
const asks = (run: number): Promise<{ ask: number; robot: string; state: string; at: Date; by: string | null }[]> =>
  many(
    null,
    `SELECT k.id AS ask, b.name AS robot, k.state, k.at, k.answered_by AS by FROM desk_asks k JOIN robots b ON b.id = k.robot_id WHERE k.run_id = $1 ORDER BY k.id`,
    [run],
  )
const say = (robot: string, ask: object): ReturnType<typeof hearDesk> =>
  hearDesk(agentId, { robot, request: randomUUID(), ask })
const newest = async (run: number): Promise<{ ask: number; robot: string }> => {
  const found = (await asks(run)).at(-1)
  if (!found) throw new Error('Nobody was asked.')
  return found
}

describe('a task for robots at which people sit', () => {
  it('asks whoever is there, waits for their word, and then runs there', async () => {
    await noteThere(agentId, [second])
    const run = await start()
    await askAround(Date.now())
    await askAround(Date.now())
    expect(await asks(run)).toMatchObject([{ robot: second, state: 'asked' }])
    expect(await place()).toBe(0)
    expect(await whyWaiting(OPERATOR, run)).toMatchObject({ why: 'person', robot: second, how: 'asked' })
    const { ask } = await newest(run)
    expect(await say(second, { do: 'now', ask })).toMatchObject({ ok: true })
    // The same again is true already.
    expect(await say(second, { do: 'now', ask })).toMatchObject({ ok: true })
    expect(await place()).toBe(1)
    expect(await oneRun(ADMIN, run)).toMatchObject({
      state: 'running',
      asks: [{ robot: second, state: 'agreed', answeredBy: `the person at ${second}` }],
    })
  })

  it('in so many minutes is not before; a no goes to the next; asked in vain it waits, and a person may change their mind', async () => {
    const run = await start()
    const now = Date.now()
    await askAround(now)
    expect(await newest(run)).toMatchObject({ robot: first })
    const { ask } = await newest(run)
    await say(first, { do: 'later', ask, minutes: 10 })
    await askAround(now + 9 * MINUTE)
    expect(await place()).toBe(0)
    expect(await whyWaiting(OPERATOR, run)).toMatchObject({ why: 'person', how: 'later' })
    await say(first, { do: 'no', ask })
    await askAround(now)
    expect(await asks(run)).toMatchObject([
      { robot: first, state: 'no' },
      { robot: second, state: 'asked' },
    ])
    // While another is asked the first can take it no more.
    expect(await say(first, { do: 'now', ask })).toMatchObject({
      ok: false,
      why: expect.stringContaining('does not wait'),
    })
    await askAround(now + 16 * MINUTE)
    expect((await asks(run))[1]).toMatchObject({ state: 'late' })
    await askAround(now + 17 * MINUTE)
    expect(await asks(run)).toHaveLength(2)
    expect(await whyWaiting(OPERATOR, run)).toMatchObject({
      why: 'agent',
      lacks: expect.arrayContaining([
        { agent: first, lacks: ['is attended, and the person at it said no'] },
        { agent: second, lacks: ['is attended, and the person at it gave no answer'] },
      ]),
    })
    expect((await desksOf([agentId])).get(agentId)?.[0]?.questions).toMatchObject([{ ask, run, how: 'no' }])
    expect(await say(first, { do: 'now', ask })).toMatchObject({ ok: true })
    expect(await place()).toBe(1)
  })

  it('when its time has come, it starts', async () => {
    const run = await start()
    await askAround(Date.now())
    await say(first, { do: 'later', ask: (await newest(run)).ask, minutes: 10 })
    await askAround(Date.now() + 10 * MINUTE + 1)
    expect(await place()).toBe(1)
  })

  it('fails when nobody takes it, where its job says so', async () => {
    const run = await start({ asking: { forSeconds: 60, ifNobody: 'fail' } })
    const now = Date.now()
    for (const minutes of [0, 2, 4, 6]) await askAround(now + minutes * MINUTE)
    expect(await stateOf(run)).toMatchObject({
      state: 'failed',
      reason: `Nobody at a robot took it (${first}: no answer, ${second}: no answer).`,
    })
  })

  it('asks no longer where the robot cannot take it any more; a held or stopped run asks nobody', async () => {
    const run = await start()
    await askAround(Date.now())
    await changeRobot(ADMIN, ids[first] ?? 0, { active: false })
    await askAround(Date.now())
    await askAround(Date.now())
    expect(await asks(run)).toMatchObject([
      { robot: first, state: 'over' },
      { robot: second, state: 'asked' },
    ])
    const held = await start()
    await execute(null, `UPDATE runs SET held_by = 'Petra', version = version + 1 WHERE id = $1`, [held])
    await askAround(Date.now())
    expect(await asks(held)).toEqual([])
    const { ask } = await newest(run)
    await execute(null, `UPDATE runs SET state = 'cancelled', version = version + 1 WHERE id = $1`, [run])
    expect(await say(second, { do: 'now', ask })).toMatchObject({ ok: false })
    await askAround(Date.now())
    expect((await asks(run)).at(-1)).toMatchObject({ state: 'over' })
  })

  it('what waits for other robots, however much, hides nobody', async () => {
    const [other] = [await makeJob({ target: { robotPool: 'elsewhere' } })]
    const flood = await start()
    await execute(null, 'UPDATE runs SET priority = 3 WHERE id = $1', [flood])
    await execute(
      null,
      `INSERT INTO runs (job_id, job_version, area_id, target, kind, cause, state, priority, ready_at)
       SELECT j.id, 1, j.area_id, '{"robotPool":"elsewhere"}', 'command', 'person', 'ready', 1, now() FROM jobs j, generate_series(1, 1100) WHERE j.id = $1`,
      [other],
    )
    await askAround(Date.now())
    expect(await asks(flood)).toHaveLength(1)
  })

  it('each attempt is asked for anew', async () => {
    const run = await start({ retries: 1, retryDelaySeconds: 0 })
    await askAround(Date.now())
    await say(first, { do: 'now', ask: (await newest(run)).ask })
    await place()
    const held = await one<{ attempt: number; token: number }>(
      null,
      'SELECT id AS attempt, token FROM attempts WHERE run_id = $1',
      [run],
    )
    await report(agentId, held, 1, started, ended(1))
    await execute(null, `UPDATE runs SET state = 'ready', ready_at = now(), start_after = NULL WHERE id = $1`, [run])
    expect(await place()).toBe(0)
    await askAround(Date.now())
    expect(await asks(run)).toHaveLength(2)
  })

  it('what is stored of asking and cannot be read asks as usual, and stops nobody else', async () => {
    const [bad, good] = [await start(), await start()]
    await execute(
      null,
      `UPDATE job_versions SET definition = jsonb_set(definition, '{asking}', '{"forSeconds": "soon"}') WHERE job_id = (SELECT job_id FROM runs WHERE id = $1)`,
      [bad],
    )
    await askAround(Date.now())
    expect([await asks(bad), await asks(good)].map((all) => all.map(({ state }) => state))).toEqual([
      ['asked'],
      ['asked'],
    ])
  })
})

describe('a person at a robot', () => {
  it('is there while their desk program is open', async () => {
    expect((await oneRobot(ADMIN, ids[first] ?? 0)).deskSince).toBeNull()
    await noteThere(agentId, [first, 'nobody-elses'])
    expect((await oneRobot(ADMIN, ids[first] ?? 0)).deskSince).not.toBeNull()
    await noteThere(agentId, [])
    expect((await oneRobot(ADMIN, ids[first] ?? 0)).deskSince).toBeNull()
  })

  it('answers by name, for what was asked at their robot alone', async () => {
    await changeRobot(ADMIN, ids[first] ?? 0, { personId: petra })
    const run = await start()
    await askAround(Date.now())
    const { ask } = await newest(run)
    expect(await say(second, { do: 'now', ask })).toEqual({ ok: false, why: 'Nothing of that number was asked here.' })
    const elsewhere = await makeAgent(`else-${randomUUID().slice(0, 8)}`)
    expect(await hearDesk(elsewhere, { robot: first, request: randomUUID(), ask: { do: 'now', ask } })).toMatchObject({
      ok: false,
      why: `There is no attended robot ${first} here.`,
    })
    expect(await say(first, { do: 'perhaps', ask })).toMatchObject({ ok: false })
    expect((await asks(run))[0]).toMatchObject({ state: 'asked', by: null })
    await say(first, { do: 'now', ask })
    expect((await asks(run))[0]).toMatchObject({ state: 'agreed', by: 'Petra Flett' })
    expect(
      await one(
        null,
        `SELECT person_name AS who, action FROM audit WHERE object_id = $1::text AND action LIKE 'answered%'`,
        [run],
      ),
    ).toEqual({ who: 'Petra Flett', action: 'answered at a robot' })
  })

  it('is told what is asked now before all that they refused; what is stored of a job and cannot be read hides nothing', async () => {
    await changeRobot(ADMIN, ids[first] ?? 0, { personId: petra })
    await noteThere(agentId, [first])
    const jobId = await makeJob({ target: { robot: first } }, `Letters ${first}`)
    await execute(
      null,
      `UPDATE job_versions SET definition = jsonb_set(definition, '{inputs}', '"none"') WHERE job_id = $1`,
      [jobId],
    )
    await execute(
      null,
      `WITH made AS (
         INSERT INTO runs (job_id, job_version, area_id, target, kind, cause, state, priority, ready_at)
         SELECT j.id, 1, j.area_id, jsonb_build_object('robot', $2::text), 'command', 'person', 'ready', 2, now() FROM jobs j, generate_series(1, 120) WHERE j.id = $1 RETURNING id)
       INSERT INTO desk_asks (run_id, attempt, robot_id, state, at) SELECT id, 1, $3, 'no', now() FROM made`,
      [jobId, first, ids[first] ?? 0],
    )
    const run = await start({ target: { robot: first } })
    await askAround(Date.now())
    const desk = (await desksOf([agentId])).get(agentId)?.find(({ robot }) => robot === first)
    expect(desk?.questions).toHaveLength(100)
    expect(desk?.questions[0]).toMatchObject({ run, how: 'asked' })
    expect(desk?.may).toContainEqual({ job: expect.any(String), title: `Letters ${first}`, inputs: [] })
  })

  it('may start tasks of their robot, as far as they may, once for each word; and nothing else', async () => {
    const mine = await makeJob({ target: { robot: first } })
    const other = await makeJob({ target: { robot: second } })
    const slugs = async (job: number): Promise<string> =>
      (await one<{ slug: string }>(null, 'SELECT slug FROM jobs WHERE id = $1', [job])).slug
    const begin = async (job: number, request = randomUUID()): ReturnType<typeof hearDesk> =>
      hearDesk(agentId, { robot: first, request, ask: { do: 'start', job: await slugs(job), inputs: {} } })
    expect(await begin(mine)).toMatchObject({ ok: false, why: expect.stringContaining('Nobody is known to sit here') })
    await changeRobot(ADMIN, ids[first] ?? 0, { personId: petra })
    await noteThere(agentId, [first])
    const may = (await desksOf([agentId])).get(agentId)?.find(({ robot }) => robot === first)?.may ?? []
    expect(may.map(({ job }) => job)).toContain(await slugs(mine))
    expect(may.map(({ job }) => job)).not.toContain(await slugs(other))
    expect(await begin(other)).toMatchObject({ ok: false, why: expect.stringContaining('no task') })
    const request = randomUUID()
    expect([await begin(mine, request), await begin(mine, request)]).toMatchObject([{ ok: true }, { ok: true }])
    const runs = await many<{ id: number; by: string }>(
      null,
      'SELECT id, starter_name AS by FROM runs WHERE job_id = $1',
      [mine],
    )
    expect(runs).toMatchObject([{ by: 'Petra Flett' }])
    await execute(null, `UPDATE people SET role = 'viewer' WHERE id = $1`, [petra])
    expect(await begin(mine)).toMatchObject({ ok: false })
  })
})
