import { jobDefinitionSchema } from '@/core/work/job'
import { accountSchema, addAccount, accountChangeSchema, changeAccount } from '@/service/fleet/accounts'
import { ended, lease, makeAgent, makeJob, report, started } from '@/service/fixtures.test-help'
import { startRun, startSchema } from '@/service/runs/start'
import { addLock, changeLock } from '@/service/fleet/locks'
import { oneJob, saveJob } from '@/service/work/work'
import { actor, ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, one } from '@/store/db'
import { seenBy } from '@/service/base/actor'
import { whatChanged } from './what-changed'

freshDatabase()

let agentId: number
beforeAll(async () => {
  agentId = await makeAgent('a1', 50)
})

/** A run of the job that ended so. */
async function ran(jobId: number, exitCode: number, inputs: Record<string, string> = {}): Promise<number> {
  const { id } = (await startRun(ADMIN, startSchema.parse({ jobId, inputs }))) as { id: number }
  await report(agentId, await lease(id, agentId), 1, { ...started, at: Date.now() }, ended(exitCode))
  return id
}
const told = async (id: number): Promise<string[]> => (await whatChanged(ADMIN, id)).changes.map(({ says }) => says)

describe('what changed since a job last went well', () => {
  it('is told with what was saved, given, and changed of what it touches; the likeliest first', async () => {
    const account = await addAccount(
      ADMIN,
      accountSchema.parse({
        name: 'care',
        userName: 'u',
        secret: 's',
        notes: '',
        everywhere: true,
        agentIds: [],
        hosts: [],
      }),
    )
    const lock = await addLock(ADMIN, { name: 'fares', title: 'Fares', units: 3 })
    const input = { name: 'day', title: 'Day', type: 'text', default: 'Monday', ask: true }
    const jobId = await makeJob(
      jobDefinitionSchema.parse({
        action: { kind: 'command', command: 'check ${day}' },
        target: { agent: 'a1' },
        ...{ account: 'care', locks: { fares: 1 }, inputs: [input], success: { exitCodes: [0] } },
      }),
    )
    const good = await ran(jobId, 0)
    expect(await whatChanged(ADMIN, good)).toMatchObject({ good: null, changes: [] })
    await changeLock(ADMIN, lock.id, { title: 'Fares', units: 1 })
    await changeAccount(
      ADMIN,
      account.id,
      accountChangeSchema.parse({
        userName: 'u',
        secret: 'other',
        notes: '',
        everywhere: true,
        agentIds: [],
        hosts: [],
      }),
    )
    const { title, notes, areaId, active, version, definition } = await oneJob(ADMIN, jobId)
    await saveJob(ADMIN, jobId, {
      title,
      notes,
      areaId,
      active,
      version,
      definition: { ...definition, action: { kind: 'command', command: 'check-all ${day}' } },
    })
    const bad = await ran(jobId, 1, { day: 'Tuesday' })
    const found = await whatChanged(ADMIN, bad)
    expect(found.good?.id).toBe(good)
    expect(found.firstBad?.id).toBe(bad)
    expect(found.changes.map(({ says }) => says)).toEqual([
      'Version 2: The command was “check ${day}” and is “check-all ${day}”.',
      'The account care got a new secret.',
      'Input day was Monday and is Tuesday.',
      'The lock Fares was changed: The number of units was 3 and is 1.',
    ])
    expect(found.changes[0]).toMatchObject({ by: ADMIN.name, object: { type: 'job', id: jobId } })
    // What is changed after it fails already stands behind what could explain it.
    await changeLock(ADMIN, lock.id, { title: 'Fares', units: 2 })
    const later = await ran(jobId, 1, { day: 'Tuesday' })
    expect((await whatChanged(ADMIN, later)).firstBad?.id).toBe(bad)
    expect((await told(later)).at(-1)).toBe('The lock Fares was changed: The number of units was 1 and is 2.')
    // The secret itself is nowhere.
    expect(JSON.stringify(found)).not.toContain('other')
  })

  it('tells somebody without a role in the organisation nothing of what is the organisation’s', async () => {
    const lock = await addLock(ADMIN, { name: 'berth', title: 'Berth', units: 3 })
    const jobId = await makeJob({ locks: { berth: 1 } })
    await ran(jobId, 0)
    await changeLock(ADMIN, lock.id, { title: 'Berth', units: 1 })
    const bad = await ran(jobId, 1)
    expect(await told(bad)).toHaveLength(1)
    const { areaId } = await oneJob(ADMIN, jobId)
    const member = await one<{ id: number }>(
      null,
      `INSERT INTO people (email, name, role) VALUES ('g', 'Guest', 'none') RETURNING id`,
    )
    const areas = { isWalled: true, granted: 'see', atMost: 'manage' } as const
    const guest = actor('none', { id: member.id, areas })
    await expect(seenBy(guest, () => whatChanged(guest, bad))).rejects.toMatchObject({ code: 'not-found' })
    await execute(null, `INSERT INTO grants (area_id, person_id, may) VALUES ($1, $2, 'see')`, [areaId, member.id])
    expect((await seenBy(guest, () => whatChanged(guest, bad))).changes).toEqual([])
  })

  it('names other jobs that failed with it on one machine, while elsewhere things went well', async () => {
    await execute(null, `UPDATE runs SET ended_at = ended_at - interval '3 hours' WHERE ended_at IS NOT NULL`)
    const [one, two, three] = [await makeJob({}, 'One'), await makeJob({}, 'Two'), await makeJob({}, 'Three')]
    const other = await makeAgent('b1', 50)
    for (let i = 0; i < 6; i++) {
      const jobId = await makeJob({ target: { agent: 'b1' } })
      const { id } = (await startRun(ADMIN, startSchema.parse({ jobId }))) as { id: number }
      await report(other, await lease(id, other), 1, started, ended(0))
    }
    const [a, b] = [await ran(one, 1), await ran(two, 1)]
    const c = await ran(three, 1)
    const { together } = await whatChanged(ADMIN, b)
    expect(together).toMatchObject([{ kind: 'machine', name: 'a1', id: agentId }])
    expect(together[0]?.runs.map(({ id, title }) => [id, title])).toEqual([
      [b, 'Two'],
      [a, 'One'],
      [c, 'Three'],
    ])
  })

  /** A run as it stands in the database, that began so many minutes ago. */
  async function stood(
    jobId: number,
    ago: number,
    {
      took = 1,
      waited = 0,
      state = 'succeeded',
      flow = null as number | null,
      version = 1,
      kind = 'command',
      path = null as string | null,
      at = 'a1',
    } = {},
  ): Promise<number> {
    const { id } = await one<{ id: number }>(
      null,
      `INSERT INTO runs (job_id, job_version, area_id, target, kind, state, cause, starter_name, attempts, priority, agent_id, flow_run_id, step_path, step, created_at, ready_at, started_at, ended_at, duration_ms)
       SELECT $1::bigint, $2, area_id, '{"agent": "a1"}', $3, $4, 'person', 'x', 1, 2, (SELECT id FROM agents WHERE name = $5), $6, $7::text, CASE WHEN $7::text IS NULL THEN NULL ELSE ascii($7::text) END, b - w, b - w, b, b + t, extract(epoch FROM t) * 1000
         FROM jobs, LATERAL (SELECT now() - make_interval(mins => $8) AS b, make_interval(secs => 60 * $9::float8) AS t, make_interval(secs => 60 * $10::float8) AS w) x WHERE id = $1 RETURNING id`,
      [jobId, version, kind, state, at, flow, path, ago, took, waited],
    )
    return id
  }

  it('of a flow is how long its steps took and waited, how their work was changed, and what its failed steps touch', async () => {
    const lock = await addLock(ADMIN, { name: 'tills', title: 'Tills', units: 3 })
    const [close, sum, send] = [
      await makeJob({}, 'Close'),
      await makeJob({}, 'Sum up'),
      await makeJob({ locks: { tills: 1 } }, 'Send'),
    ]
    const flowJob = await makeJob({}, 'Close of day')
    const steps = async (flow: number, ago: number, slow: boolean, last: string): Promise<number> => {
      await stood(close, ago, { flow, path: 'close', took: slow ? 12 : 3, waited: slow ? 30 : 1 })
      await stood(sum, ago - 20, { flow, path: 'sum', version: slow ? 2 : 1 })
      return stood(send, ago - 25, { flow, path: 'send', state: last, took: slow ? 9 : 1 })
    }
    const good = await stood(flowJob, 2000, { kind: 'flow' })
    await steps(good, 2000, false, 'succeeded')
    const { title, notes, areaId, active, version, definition } = await oneJob(ADMIN, sum)
    const action = { kind: 'command', command: 'sum --all' } as const
    await saveJob(ADMIN, sum, { title, notes, areaId, active, version, definition: { ...definition, action } })
    await changeLock(ADMIN, lock.id, { title: 'Tills', units: 1 })
    await execute(
      null,
      `UPDATE audit SET at = at - interval '100 minutes' WHERE object_type = 'lock' AND action = 'changed'`,
    )
    await execute(
      null,
      `UPDATE job_versions SET saved_at = saved_at - interval '90 minutes' WHERE job_id = $1 AND version = 2`,
      [sum],
    )
    const bad = await stood(flowJob, 60, { kind: 'flow', state: 'failed' })
    const last = await steps(bad, 60, true, 'failed')
    await execute(null, `UPDATE runs SET locks = '{"tills": 1}' WHERE id = $1`, [last])
    expect(await told(bad)).toEqual([
      expect.stringMatching(/^Step Sum up, Version 2: The command was “.*” and is “sum --all”\.$/),
      'The lock Tills was changed: The number of units was 3 and is 1.',
      'Step Close waited 30:00 until it could begin; it was 1:00.',
      'Step Close took 12:00; it was 3:00.',
      'Step Send took 9:00; it was 1:00.',
    ])
    // The step itself is told of those before it, not of itself: what failed took as long as it took to fail.
    const steps_ = await told(last)
    expect(steps_).toContain('Step Close took 12:00; it was 3:00.')
    expect(steps_.join()).not.toContain('Step Send')
  })

  it('is that it waited, that a file is not there, or that all on its system took long', async () => {
    const job = await makeJob({}, 'Tide tables')
    await stood(job, 900)
    const waited = await stood(job, 800, { waited: 40, took: 1 })
    expect(await told(waited)).toEqual(['It waited 40:00 until it could begin; it was 0:00.'])
    const failed = await stood(job, 700, { state: 'failed' })
    await execute(
      null,
      `INSERT INTO attempts (run_id, number, agent_id, state, lease_until, handed_at, telling_line) VALUES ($1, 1, $2, 'failed', now(), now(), 'cat: /srv/tides.csv: No such file or directory')`,
      [failed, agentId],
    )
    expect(await told(failed)).toEqual(['Its output says that /srv/tides.csv is not there.'])
    const { id: system } = await one<{ id: number }>(
      null,
      `INSERT INTO systems (slug, title, kind, saved_by) VALUES ('tickets', 'Ticket database', 'database', 'x') RETURNING id`,
    )
    let first = 0
    for (let i = 0; i < 24; i++) {
      const each = await makeJob({}, `Table ${i}`)
      await execute(null, 'UPDATE jobs SET usual_ms = 60000, system_id = $2 WHERE id = $1', [
        each,
        i < 5 ? system : null,
      ])
      const id = await stood(each, 5000, { took: i < 5 ? 4 : 1, at: i % 2 ? 'a1' : 'b1' })
      first ||= id
    }
    const { together } = await whatChanged(ADMIN, first)
    expect(together).toMatchObject([{ kind: 'system', how: 'slow', name: 'Ticket database', id: system }])
    expect(together[0]?.runs).toHaveLength(5)
  })
})
