import { randomUUID } from 'node:crypto'
import { OPERATOR, freshDatabase } from '@/store/database.test-help'
import { execute, many } from '@/store/db'
import { makeAgent, makeJob } from '@/service/fixtures.test-help'
import { allRuns, listRuns, runFilterSchema, type RunFilter } from './run-list'

freshDatabase()

interface Plain {
  readonly id: number
  readonly state: string
  readonly jobId: number
  readonly agentId: number | null
  readonly startedAt: Date | null
  readonly durationMs: number | null
}
let all: Plain[]
let jobs: number[]

beforeAll(async () => {
  jobs = [await makeJob({}, 'Harbour transfer'), await makeJob({}, 'Name check'), await makeJob({}, '100 % of 50_000')]
  const agents = [await makeAgent(randomUUID()), await makeAgent(randomUUID())]
  // Made-up rows in every mixture of state, job, agent, with equal and missing times.
  await execute(
    null,
    `INSERT INTO runs (job_id, job_version, area_id, target, kind, cause, state, priority, agent_id, started_at, ended_at, duration_ms, created_at)
     SELECT ($1::bigint[])[1 + i % 3], 1, (SELECT area_id FROM jobs WHERE id = ($1::bigint[])[1]), '{}', 'command',
            (ARRAY['person','token','again'])[1 + i % 3],
            (ARRAY['succeeded','failed','running','waiting','lost','succeeded','succeeded'])[1 + i % 7], 2,
            CASE WHEN i % 5 > 0 THEN ($2::bigint[])[1 + i % 2] END,
            CASE WHEN i % 4 > 0 THEN timestamptz '2027-03-09 02:00Z' + make_interval(mins => (i * 7) % 50) END, NULL,
            CASE WHEN i % 3 > 0 THEN (i * 13) % 40 * 1000 END, timestamptz '2027-03-09 00:00Z' + make_interval(mins => i)
       FROM generate_series(1, 300) AS i`,
    [jobs, agents],
  )
  all = await many<Plain>(
    null,
    'SELECT id, state, job_id AS "jobId", agent_id AS "agentId", started_at AS "startedAt", duration_ms AS "durationMs" FROM runs',
  )
})

const read = async (filter: Record<string, string | number>): Promise<number[]> => {
  const ids: number[] = []
  const parsed: RunFilter = runFilterSchema.parse({ limit: 17, ...filter })
  let after: string | null | undefined
  do {
    const page = await listRuns(OPERATOR, { ...parsed, ...(after ? { after } : {}) })
    ids.push(...page.rows.map((row) => row.id))
    after = page.next
  } while (after)
  return ids
}
const by = (key: (r: Plain) => number, sign: number) => (a: Plain, b: Plain) => sign * (key(a) - key(b) || a.id - b.id)

describe('the list of runs', () => {
  it.each([
    ['number', (r: Plain) => r.id],
    ['started', (r: Plain) => r.startedAt?.getTime() ?? Infinity],
    ['duration', (r: Plain) => r.durationMs ?? -1],
  ] as const)('pages by %s in both directions, each row once', async (sort, key) => {
    const finite = (r: Plain): number => Math.min(key(r), Number.MAX_SAFE_INTEGER)
    expect(await read({ sort, dir: 'desc' })).toEqual([...all].sort(by(finite, -1)).map((r) => r.id))
    expect(await read({ sort, dir: 'asc' })).toEqual([...all].sort(by(finite, 1)).map((r) => r.id))
  })

  it('narrows by each filter and by all of them together', async () => {
    const expected = (test: (r: Plain) => boolean): number[] =>
      all
        .filter(test)
        .map((r) => r.id)
        .sort((a, b) => b - a)
    expect(await read({ state: 'failed,lost' })).toEqual(expected((r) => r.state === 'failed' || r.state === 'lost'))
    expect(await read({ job: `${jobs[0]},${jobs[1]}` })).toEqual(expected((r) => r.jobId !== jobs[2]))
    expect(await read({ text: 'NAME' })).toEqual(expected((r) => r.jobId === jobs[1]))
    expect(await read({ text: '100 %' })).toEqual(expected((r) => r.jobId === jobs[2]))
    expect(await read({ text: '_000' })).toEqual(expected((r) => r.jobId === jobs[2]))
    expect(await read({ text: `#${all[5]?.id}` })).toEqual([all[5]?.id])
    const agent = all.find((r) => r.agentId)?.agentId
    expect(await read({ state: 'succeeded', agent: String(agent), job: String(jobs[0]) })).toEqual(
      expected((r) => r.state === 'succeeded' && r.agentId === agent && r.jobId === jobs[0]),
    )
    expect((await read({ from: '2027-03-09T01:00:00Z', to: '2027-03-09T02:00:00Z' })).length).toBe(60)
    expect(await read({ state: 'failed', sort: 'started', dir: 'asc' })).toEqual(
      all
        .filter((r) => r.state === 'failed')
        .sort(by((r) => Math.min(r.startedAt?.getTime() ?? Infinity, Number.MAX_SAFE_INTEGER), 1))
        .map((r) => r.id),
    )
  })

  it('refuses a place that is none', async () => {
    await expect(listRuns(OPERATOR, runFilterSchema.parse({ after: 'x' }))).rejects.toMatchObject({
      code: 'invalid-input',
      errors: [{ path: 'after' }],
    })
    expect(runFilterSchema.safeParse({ state: 'sleeping' }).success).toBe(false)
    expect(runFilterSchema.safeParse({ colour: 'red' }).success).toBe(false)
  })

  it('says of what failed the line that tells most, of its last try', async () => {
    const [failed, good] = ['failed', 'succeeded'].map(
      (state) => all.find((each) => each.state === state)?.id as number,
    )
    const agentId = await makeAgent(randomUUID())
    await execute(null, 'UPDATE runs SET attempts = 2 WHERE id = ANY($1)', [[failed, good]])
    await execute(
      null,
      `INSERT INTO attempts (run_id, number, agent_id, state, lease_until, handed_at, telling_line)
       SELECT id, n, $2, 'failed', now(), now(), 'no file at try ' || n FROM unnest($1::bigint[]) AS id, generate_series(1, 2) AS n`,
      [[failed, good], agentId],
    )
    const lineOf = async (id: number | undefined): Promise<string | null | undefined> =>
      (await listRuns(OPERATOR, runFilterSchema.parse({ text: `#${id}` }))).rows[0]?.tellingLine
    expect([await lineOf(failed), await lineOf(good)]).toEqual(['no file at try 2', null])
  })

  it('finds runs by any of the machines that tried them, each once', async () => {
    const [first, second] = [await makeAgent(randomUUID()), await makeAgent(randomUUID())]
    const [moved, stayed] = all.filter((r) => r.state === 'failed').map(({ id }) => id)
    await execute(null, 'UPDATE runs SET agent_id = $2, attempts = 3 WHERE id = ANY($1)', [[moved, stayed], second])
    await execute(null, 'DELETE FROM attempts WHERE run_id = ANY($1)', [[moved, stayed]])
    await execute(
      null,
      `INSERT INTO attempts (run_id, number, agent_id, state, lease_until, handed_at)
       VALUES ($1, 1, $3, 'lost', now(), now()), ($1, 2, $3, 'failed', now(), now()), ($1, 3, $4, 'failed', now(), now()), ($2, 1, $4, 'failed', now(), now())`,
      [moved, stayed, first, second],
    )
    const found = async (...agents: number[]): Promise<number[]> =>
      (await listRuns(OPERATOR, runFilterSchema.parse({ agent: agents.join(), state: 'failed,lost' }))).rows.map(
        ({ id }) => id,
      )
    expect(await found(first)).toEqual([moved])
    const both = [moved, stayed].sort((a, b) => Number(b) - Number(a))
    expect(await found(second)).toEqual(both)
    expect(await found(first, second)).toEqual(both)
  })

  it('streams everything for an export', async () => {
    let n = 0
    for await (const rows of allRuns(OPERATOR, runFilterSchema.parse({ state: 'succeeded' }))) n += rows.length
    expect(n).toBe(all.filter((r) => r.state === 'succeeded').length)
  })

  it('finds what ended in a stretch, and what was in hand on a machine then, as plain loops over tries do', async () => {
    const agents = [await makeAgent(randomUUID()), await makeAgent(randomUUID())]
    const jobId = await makeJob({}, 'In hand')
    const start = Date.parse('2027-04-02T00:00:00Z')
    const at = (minutes: number | null): string | null =>
      minutes === null ? null : new Date(start + minutes * 60_000).toISOString()
    // Each run has one or two tries of some minutes, on either machine; the last one of every seventh goes on.
    const tries: { runId: number; agentId: number; from: number; to: number | null }[] = []
    for (let i = 0; i < 60; i++) {
      const last = i % 7 === 0 ? null : i * 3 + 12 + (i % 5) * 9
      const [row] = await many<{ id: number }>(
        null,
        `INSERT INTO runs (job_id, job_version, area_id, target, kind, cause, state, priority, agent_id, started_at, ended_at, created_at)
         SELECT $1, 1, area_id, '{}', 'command', 'person', $2, 2, $3, $4, $5, $4 FROM jobs WHERE id = $1 RETURNING id`,
        [jobId, last === null ? 'running' : i % 3 === 0 ? 'failed' : 'succeeded', agents[i % 2], at(i * 3), at(last)],
      )
      const runId = row?.id as number
      const again = i % 4 === 0
      if (again) tries.push({ runId, agentId: agents[(i + 1) % 2] as number, from: i * 3, to: i * 3 + 4 })
      tries.push({ runId, agentId: agents[i % 2] as number, from: i * 3 + (again ? 10 : 0), to: last })
      for (const [n, one] of tries.filter((each) => each.runId === runId).entries())
        await execute(
          null,
          `INSERT INTO attempts (run_id, number, agent_id, state, lease_until, handed_at, ended_at) VALUES ($1, $2, $3, $4, now(), $5, $6)`,
          [runId, n + 1, one.agentId, one.to === null ? 'running' : 'failed', at(one.from), at(one.to)],
        )
    }
    const own = { job: String(jobId) }
    for (const [from, to] of [
      [0, 20],
      [31, 36],
      [90, 200],
      [400, 500],
    ] as const) {
      const inHand = (agentId?: number): number[] =>
        [
          ...new Set(
            tries
              .filter((one) => agentId === undefined || one.agentId === agentId)
              .filter((one) => one.from < to && (one.to === null || one.to > from))
              .map(({ runId }) => runId),
          ),
        ].sort((a, b) => b - a)
      const ran = { ranFrom: at(from) as string, ranTo: at(to) as string }
      expect(await read({ ...own, ...ran })).toEqual(inHand())
      expect(await read({ ...own, ...ran, took: 'slots' })).toEqual(inHand())
      expect(await read({ ...own, ...ran, took: 'attended' })).toEqual([])
      for (const agentId of agents)
        expect(await read({ ...own, ...ran, agent: String(agentId) })).toEqual(inHand(agentId))
      const ends = new Map(tries.map(({ runId, to: ended }) => [runId, ended]))
      const ended = [...ends].flatMap(([id, end]) => (end !== null && end >= from && end < to ? [id] : []))
      expect(await read({ ...own, endedFrom: at(from) as string, endedTo: at(to) as string })).toEqual(
        ended.sort((a, b) => b - a),
      )
    }
    // What is in hand now is on the machine that has it, not on one that tried it before.
    for (const agentId of agents) {
      const now = tries.filter((one) => one.to === null && one.agentId === agentId).map(({ runId }) => runId)
      const held = { ...own, holds: 'yes', agent: String(agentId) }
      expect(await read(held)).toEqual(now.sort((a, b) => b - a))
      expect(await read({ ...held, took: 'slots', kind: 'command' })).toEqual(now)
      expect(await read({ ...held, took: 'unattended' })).toEqual([])
      expect(await read({ ...held, kind: 'flow,wait' })).toEqual([])
    }
    await execute(null, `UPDATE runs SET locks = '{"till": 1}' WHERE id = ANY($1)`, [
      [tries[3]?.runId, tries[9]?.runId],
    ])
    expect(await read({ ...own, lock: 'till' })).toEqual([tries[9]?.runId, tries[3]?.runId])
    expect(await read({ ...own, lock: 'ti' })).toEqual([])
    const over = [...new Map(tries.map((one) => [one.runId, one.to])).values()].filter((to) => to !== null && to >= 90)
    expect(await read({ ...own, endedFrom: at(90) as string, sort: 'ended' })).toHaveLength(over.length)
  })
})
