import { jobDefinitionSchema } from '@/core/work/job'
import { triggerDefinitionSchema } from '@/core/work/trigger'
import { ended, lease, makeAgent, makeJob, output, report, started } from '@/service/fixtures.test-help'
import { listMatters } from '@/service/runs/matters'
import { oneRun } from '@/service/runs/run-page'
import { startRun, startSchema } from '@/service/runs/start'
import { addTrigger } from '@/service/timing/triggers'
import { oneJob, saveJob } from '@/service/work/work'
import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, many } from '@/store/db'
import { lookAtNext, looksAreDue } from './outputs'

freshDatabase()

let agentId: number
beforeAll(async () => {
  agentId = await makeAgent('a1', 50)
})

const watching = (watches: object | null = {}): ReturnType<typeof jobDefinitionSchema.parse> =>
  jobDefinitionSchema.parse({
    action: { kind: 'command', command: 'check' },
    target: { agent: 'a1' },
    retries: 0,
    watches,
  })

/** A run of the job that wrote this. */
async function wrote(jobId: number, lines: readonly string[], exitCode = 0): Promise<number> {
  const { id } = (await startRun(ADMIN, startSchema.parse({ jobId }))) as { id: number }
  await report(agentId, await lease(id, agentId), 1, { ...started, at: Date.now() }, output(...lines), ended(exitCode))
  return id
}
const lookAtAll = async (): Promise<void> => {
  while (await lookAtNext());
}
const lookOn = async (id: number): Promise<unknown> => {
  const run = await oneRun(ADMIN, id)
  return run.isFlow ? undefined : run.look
}

describe('a job that watches its output', () => {
  it('tells of a success that wrote something else, and of nothing else', async () => {
    const jobId = await makeJob(watching({ patterns: ['row \\d+'] }))
    const first = await wrote(jobId, ['mtu = 1500', 'row 1', 'done in 3 s'])
    const bad = await wrote(jobId, ['nothing at all'], 3)
    const same = await wrote(jobId, ['mtu = 1500', 'row 2', 'done in 4 s'])
    const other = await wrote(jobId, ['mtu = 9000', 'row 3', 'done in 4 s'])
    expect(await looksAreDue()).toBe(true)
    await lookAtAll()
    expect(await looksAreDue()).toBe(false)
    expect(await lookOn(first)).toMatchObject({ state: 'first', before: null, change: null })
    expect(await lookOn(bad)).toBeNull()
    expect(await lookOn(same)).toMatchObject({ state: 'same', before: first, change: null })
    expect(await lookOn(other)).toEqual({
      state: 'changed',
      before: same,
      why: '',
      change: {
        takenAway: 1,
        putIn: 1,
        lines: [
          { is: 'taken away', text: 'mtu = 1500' },
          { is: 'put in', text: 'mtu = 9000' },
        ],
      },
    })
    expect((await listMatters(ADMIN)).filter(({ kind }) => kind === 'output-changed')).toEqual([])
  })

  it('tells triggers, notices and, if asked, a matter: once, however often it is looked at', async () => {
    const jobId = await makeJob(watching({ matter: true }), 'Settings')
    const slug = (await many<{ slug: string }>(null, 'SELECT slug FROM jobs WHERE id = $1', [jobId]))[0]?.slug
    const definition = triggerDefinitionSchema.parse({ after: { work: slug, when: 'changed' }, zone: 'Europe/London' })
    const { id: triggerId } = await addTrigger(ADMIN, {
      title: 'Look closer',
      notes: '',
      jobId: await makeJob(watching(null)),
      enabled: true,
      definition,
      sure: true,
    })
    await execute(
      null,
      `INSERT INTO notices (title, job_id, events, action, changed_by) VALUES ('n', $1, '{changed}', '{}', 'x'), ('other', $1, '{ended}', '{}', 'x')`,
      [jobId],
    )
    for (const line of ['a', 'b', 'c']) await wrote(jobId, [line])
    await lookAtAll()
    // Another that had begun comes to its end later: nothing is told twice.
    await execute(null, `UPDATE output_looks SET next_at = now()`)
    await lookAtAll()
    const runs = await many<{ id: number }>(null, 'SELECT id FROM runs WHERE job_id = $1 ORDER BY id', [jobId])
    const changed = runs.slice(1).map(({ id }) => id)
    expect(
      await many(
        null,
        `SELECT (facts->>'run')::bigint AS run, facts->>'state' AS state FROM trigger_events WHERE trigger_id = $1 ORDER BY id`,
        [triggerId],
      ),
    ).toEqual(changed.map((run) => ({ run, state: 'changed' })))
    expect(
      await many(null, `SELECT s.run_id AS run, s.event FROM notice_sends s WHERE event = 'changed' ORDER BY 1`),
    ).toEqual(changed.map((run) => ({ run, event: 'changed' })))
    expect((await listMatters(ADMIN)).filter(({ kind }) => kind === 'output-changed')).toMatchObject([
      {
        title: 'Settings',
        runId: changed[1],
        times: 2,
        evidence: `Against #${changed[0]}: 1 line taken away, 1 line put in.\n− b\n+ c`,
      },
    ])
  })

  it('compares with nothing where nothing is left, and says so', async () => {
    const jobId = await makeJob(watching())
    const [before, after] = [await wrote(jobId, ['a']), await wrote(jobId, ['b'])]
    await execute(null, 'UPDATE attempts SET output_purged = true WHERE run_id = $1', [before])
    const cut = await wrote(jobId, ['c'])
    await execute(null, 'UPDATE attempts SET output_cut = true WHERE run_id = $1', [cut])
    await lookAtAll()
    expect(await lookOn(after)).toMatchObject({ state: 'first', before, why: expect.stringContaining('cleared away') })
    expect(await lookOn(cut)).toMatchObject({
      state: 'failed',
      before: after,
      why: expect.stringContaining('too long'),
    })
  })

  it('that cannot be looked at keeps no other from it, and is given up', async () => {
    const jobId = await makeJob(watching())
    await wrote(jobId, ['a'])
    await lookAtAll()
    const bad = await wrote(jobId, ['b'])
    const good = await wrote(await makeJob(watching()), ['c'])
    // Its version no longer says what to look for.
    await execute(null, `UPDATE job_versions SET definition = definition - 'watches' WHERE job_id = $1`, [jobId])
    await expect(lookAtNext()).rejects.toThrow('does not watch')
    await lookAtAll()
    expect(await lookOn(good)).toMatchObject({ state: 'first' })
    await execute(null, 'UPDATE output_looks SET next_at = now() WHERE run_id = $1', [bad])
    await lookAtAll()
    expect(await many(null, 'SELECT state, why FROM output_looks WHERE run_id = $1', [bad])).toEqual([
      { state: 'failed', why: expect.stringContaining('could not be compared') },
    ])
    // One whose look took its thread with it was begun twice, and is begun no more.
    const slow = await wrote(jobId, ['d'])
    await execute(null, 'INSERT INTO output_looks (run_id, tries) VALUES ($1, 2)', [slow])
    await lookAtAll()
    expect(await many(null, 'SELECT state, why FROM output_looks WHERE run_id = $1', [slow])).toEqual([
      { state: 'failed', why: 'Comparing it took too long.' },
    ])
  })

  it('refuses expressions that are none, and waiting', async () => {
    const jobId = await makeJob(watching())
    const { title, notes, areaId, active, version, definition } = await oneJob(ADMIN, jobId)
    const save = (watches: unknown, action: unknown = definition.action): Promise<unknown> =>
      saveJob(ADMIN, jobId, {
        ...{ title, notes, areaId, active, version },
        definition: jobDefinitionSchema.parse({ ...definition, action, watches }),
      })
    expect(() => save({ patterns: ['('] })).toThrow(/Not a regular expression/)
    expect(() => save({}, { kind: 'wait', minutes: 1 })).toThrow(/writes nothing/)
  })
})
