import { ADMIN, freshDatabase, OPERATOR, VIEWER } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { addTrigger, newTriggerSchema } from '@/service/timing/triggers'
import { ended, lease, makeAgent, makeJob, report, started } from '@/service/fixtures.test-help'
import { advance, makeFlow, startFlow, stepsOf } from '@/service/flows/flow.test-help'
import { watchDeadlines } from '@/service/runs/deadlines'
import { listMatters } from '@/service/runs/matters'
import { oneRun } from '@/service/runs/run-page'
import { startRun, startSchema } from '@/service/runs/start'
import { bearsOnForecast } from './bears'
import { saveChances } from './chances'
import { forecastMaterial } from './material'
import { makeStanding, standingForecast } from './standing'

freshDatabase()

const MINUTE = 60_000
let agentId: number
let elsewhere: number
beforeAll(async () => {
  agentId = await makeAgent('a1')
  elsewhere = await makeAgent('flows')
  // They call, as agents that are there do.
  await execute(
    null,
    `INSERT INTO engines (id, host, pid, version, gateway_url, started_at, last_seen_at) VALUES (gen_random_uuid(), 'h', 1, '1', 'ws://h', now(), now())`,
  )
  await execute(null, 'UPDATE agent_contacts SET engine_id = (SELECT id FROM engines), last_contact_at = now()')
})
beforeEach(() => execute(null, 'UPDATE agent_contacts SET last_contact_at = now()'))

/** As if the job had run so long on each of the last days. */
async function ranFor(jobId: number, minutes: readonly number[]): Promise<void> {
  await execute(
    null,
    `INSERT INTO runs (job_id, job_version, area_id, target, kind, cause, state, priority, attempts, created_at, ready_at, started_at, ended_at, duration_ms, cleared_at)
     SELECT j.id, 1, j.area_id, '{"agent":"orrin-ops1"}', 'command', 'person', 'succeeded', 2, 1, at, at, at, at + make_interval(mins => u.minutes), u.minutes * 60000, at
       FROM jobs j, unnest($2::int[]) WITH ORDINALITY AS u(minutes, n), LATERAL (SELECT now() - make_interval(days => u.n::int, mins => u.minutes) AS at) x WHERE j.id = $1`,
    [jobId, minutes],
  )
}
const TEN = new Array<number>(10)
const start = async (jobId: number): Promise<number> => (await startRun(OPERATOR, startSchema.parse({ jobId }))).id
const dueIn = (run: number, minutes: number): Promise<number> =>
  execute(null, `UPDATE runs SET due_at = now() + make_interval(mins => $2) WHERE id = $1`, [run, minutes])
const matters = async (run: number): Promise<string[]> =>
  (await listMatters(ADMIN)).filter(({ runId }) => runId === run).map(({ kind }) => kind)
const look = async (): Promise<void> => {
  await watchDeadlines()
  await makeStanding()
}

describe('deadlines of what has begun', () => {
  it('are at risk as soon as the forecast says so, late when they are, and of no matter when all is well again', async () => {
    const jobId = await makeJob()
    await ranFor(jobId, TEN.fill(30))
    const run = await start(jobId)
    await dueIn(run, 40)
    await look()
    expect(await matters(run)).toEqual([])
    await dueIn(run, 20)
    await look()
    expect(await matters(run)).toEqual(['run-at-risk'])
    const { foreseenAt, dueAt } = await oneRun(OPERATOR, run)
    expect(Date.parse(foreseenAt ?? '') - Date.parse(dueAt ?? '')).toBeGreaterThan(9 * MINUTE)
    expect((await listMatters(ADMIN)).find(({ runId }) => runId === run)?.evidence).toMatch(
      /^0 % to be in time\. Most likely (9|10) min late\./,
    )
    await look()
    expect(await matters(run)).toEqual(['run-at-risk'])
    await dueIn(run, 60)
    await look()
    expect(await matters(run)).toEqual([])
    await dueIn(run, -1)
    await look()
    expect(await matters(run)).toEqual(['run-late'])
    const attempt = await lease(run, agentId)
    await report(agentId, attempt, 1, started)
    await report(agentId, attempt, 2, ended(0))
    await look()
    expect(await matters(run)).toEqual([])
  })

  it('count what has run already', async () => {
    const jobId = await makeJob()
    await ranFor(jobId, TEN.fill(30))
    const run = await start(jobId)
    await dueIn(run, 20)
    const attempt = await lease(run, agentId)
    await report(agentId, attempt, 1, started)
    await execute(null, `UPDATE runs SET started_at = now() - interval '25 minutes' WHERE id = $1`, [run])
    await look()
    expect(await matters(run)).toEqual([])
    await report(agentId, attempt, 2, ended(0))
  })

  it('of flow runs follow what is open of them, and not what will not run', async () => {
    const never = { days: { dates: ['2019-01-01'] } }
    const flow = await makeFlow([
      { id: 'first', onFailure: { goTo: 'mend' } },
      { id: 'gated', after: [{ step: 'first' }], gate: never },
      { id: 'second', after: [{ step: 'first' }] },
      { id: 'mend' },
    ])
    await ranFor(flow.job.id, TEN.fill(30))
    const run = await startFlow(flow.id)
    await dueIn(run, 75)
    await look()
    expect(await matters(run)).toEqual([])
    await dueIn(run, 45)
    await look()
    expect(await matters(run)).toEqual(['run-at-risk'])
    const first = (await stepsOf(run)).get('first')?.runId as number
    const attempt = await lease(first, elsewhere)
    await report(elsewhere, attempt, 1, started)
    await report(elsewhere, attempt, 2, ended(0))
    await advance()
    await look()
    expect(await matters(run)).toEqual([])
  })
})

describe('deadlines of what is to come', () => {
  it('are at risk hours before, in a matter of their own; what was said of them is kept', async () => {
    const jobId = await makeJob({}, 'Fares to the office')
    await ranFor(jobId, [20, 20, 20, 20, 20, 40, 20, 40, 40, 40])
    const inHours = (hours: number): string => new Date(Date.now() + hours * 3_600_000).toISOString().slice(11, 16)
    const { id } = await addTrigger(
      ADMIN,
      newTriggerSchema.parse({
        title: 'Fares by morning',
        jobId,
        definition: { time: { at: [inHours(1)] }, zone: 'UTC', finishBy: inHours(1.5) },
      }),
    )
    await makeStanding()
    const standing = await standingForecast(VIEWER, true)
    const [deadline] = standing?.deadlines.filter(({ trigger }) => trigger === 'fares-by-morning') ?? []
    expect(deadline?.chance).toBeGreaterThan(0.3)
    expect(deadline?.chance).toBeLessThan(0.9)
    expect(standing?.runs.some(({ target }) => target === 'fares-to-the-office')).toBe(true)
    expect(standing?.band?.p90).toHaveLength(96)
    const subject = (await listMatters(ADMIN)).find(({ kind }) => kind === 'deadline-at-risk')
    expect(subject).toMatchObject({ title: 'Fares by morning', triggerId: id, runId: null })
    expect(subject?.evidence).toMatch(/^\d\d % to be in time\./)
    const told = await many<{ lead: string; chance: number }>(
      null,
      'SELECT lead, chance FROM told_deadlines WHERE trigger_id = $1',
      [id],
    )
    expect(told.map(({ lead }) => lead).sort()).toEqual(['2h', '8h'])
    await execute(null, 'UPDATE told_deadlines SET chance = 0.123')
    await makeStanding()
    expect(
      await many(null, 'SELECT 1 FROM told_deadlines WHERE trigger_id = $1 AND chance <> 0.123::real', [id]),
    ).toEqual([])
    await saveChances(ADMIN, { amber: 5, red: 1 })
    await makeStanding()
    expect((await listMatters(ADMIN)).filter(({ kind }) => kind === 'deadline-at-risk')).toEqual([])
    await expect(saveChances(OPERATOR, { amber: 5, red: 1 })).rejects.toMatchObject({ code: 'not-allowed' })
    await saveChances(ADMIN, { amber: 90, red: 50 })
  })
})

describe('what a forecast is made of', () => {
  it('leaves out what cannot be read, and says so', async () => {
    const jobId = await makeJob({}, 'Written by another')
    await execute(null, `UPDATE job_versions SET definition = definition || '{"priority":"odd"}' WHERE job_id = $1`, [
      jobId,
    ])
    const { bundle, leftOut } = await forecastMaterial(ADMIN).catch((error: unknown) => ({
      bundle: null,
      leftOut: [String(error)],
    }))
    expect(leftOut).toEqual(['job written-by-another'])
    expect(bundle?.jobs.length).toBeGreaterThan(0)
    await execute(
      null,
      `UPDATE job_versions SET definition = definition || '{"priority":"normal"}' WHERE job_id = $1`,
      [jobId],
    )
  })

  it('is looked at again when a run went otherwise than usual, and not else', async () => {
    const jobId = await makeJob()
    await ranFor(jobId, [10])
    await execute(null, 'UPDATE jobs SET usual_ms = 600000 WHERE id = $1', [jobId])
    const { id } = await one<{ id: number }>(null, 'SELECT max(id) AS id FROM runs WHERE job_id = $1', [jobId])
    expect(await bearsOnForecast([id])).toBe(false)
    await execute(null, 'UPDATE runs SET duration_ms = 1200000 WHERE id = $1', [id])
    expect(await bearsOnForecast([id])).toBe(true)
    expect(await bearsOnForecast([await start(jobId)])).toBe(true)
  })
})
