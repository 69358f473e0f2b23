import type { z } from 'zod'
import { ADMIN, actor, freshDatabase } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { limit } from '@/store/limits'
import { listAudit } from './base/audit'
import { ended, lease, makeAgent, makeJob, output, outputOf, report, started, stateOf } from './fixtures.test-help'
import { startRun, startSchema, stopRun } from './runs/start'
import { clearBoard, purge, refreshUsual } from './runs/upkeep'
import { workVersion, workVersions } from './work/work-versions'
import { jobSaveSchema, listJobs, oneJob, removeJob, saveJob } from './work/work'

freshDatabase()

/** A job as it is sent back to be saved. */
async function savable(id: number): Promise<z.output<typeof jobSaveSchema>> {
  const { title, areaId, notes, active, version, definition } = await oneJob(ADMIN, id)
  return { title, areaId, notes, active, version, definition }
}

describe('a job', () => {
  it('saved by two people tells the second and shows both', async () => {
    const id = await makeJob({}, 'Name check')
    const read = await savable(id)
    await saveJob(actor('designer', { name: 'Moira' }), id, jobSaveSchema.parse({ ...read, notes: 'hers' }))
    await expect(
      saveJob(actor('designer', { name: 'Torvald' }), id, jobSaveSchema.parse({ ...read, notes: 'his' })),
    ).rejects.toMatchObject({
      code: 'conflict',
      extra: { theirs: { notes: 'hers', savedBy: 'Moira', version: 2 } },
    })
    expect((await oneJob(ADMIN, id)).notes).toBe('hers')
    expect((await listAudit(ADMIN, { text: 'Name check' }))[0]?.changes).toEqual({ notes: { from: '', to: 'hers' } })
  })

  it('lists its versions with what each changed, and gives one back as it was', async () => {
    const id = await makeJob({ slots: 1 }, 'Looked back on')
    const save = async (who: string, definition: object, more: object = {}): Promise<unknown> => {
      const read = await savable(id)
      const body = { ...read, ...more, definition: { ...read.definition, ...definition } }
      return saveJob(actor('designer', { name: who }), id, jobSaveSchema.parse(body))
    }
    await save('Moira', { slots: 3 })
    await save('Torvald', {}, { notes: 'Only words.' })
    const list = await workVersions(actor('viewer'), id)
    expect(list.map(({ version, savedBy, says }) => [version, savedBy, says])).toEqual([
      [3, 'Torvald', []],
      [2, 'Moira', ['The slots was 1 and is 3.']],
      [1, expect.any(String), null],
    ])
    expect(await workVersions(ADMIN, id, { before: 2 })).toMatchObject([{ version: 1 }])
    const first = await workVersion(ADMIN, id, 1)
    expect(first).toMatchObject({ definition: { slots: 1 }, since: ['The slots was 3 and is 1.'] })
    await expect(workVersion(ADMIN, id, 9)).rejects.toMatchObject({ code: 'not-found' })
    await execute(null, 'DELETE FROM job_versions WHERE job_id = $1 AND version = 2', [id])
    expect((await workVersions(ADMIN, id))[0]).toMatchObject({ version: 3, says: null })
  })

  it('keeps every version; a run keeps the one it was started with', async () => {
    const id = await makeJob({ slots: 1 }, 'Versions')
    const run = await startRun(ADMIN, startSchema.parse({ jobId: id }))
    const read = await savable(id)
    await saveJob(ADMIN, id, jobSaveSchema.parse({ ...read, definition: { ...read.definition, slots: 3 } }))
    expect(await one(null, 'SELECT job_version AS v FROM runs WHERE id = $1', [run.id])).toEqual({ v: 1 })
    expect(
      await many(null, `SELECT definition->'slots' AS slots FROM job_versions WHERE job_id = $1 ORDER BY version`, [
        id,
      ]),
    ).toEqual([{ slots: 1 }, { slots: 3 }])
  })

  it('finds its last run at once, also where it was long ago', async () => {
    const [rare, busy] = [await makeJob({}, 'Year’s end'), await makeJob({}, 'Every minute')]
    const run = await startRun(ADMIN, startSchema.parse({ jobId: rare }))
    await execute(
      null,
      `INSERT INTO runs (job_id, job_version, area_id, target, kind, cause, state, priority)
       SELECT id, 1, area_id, '{}', 'command', 'person', 'succeeded', 2 FROM jobs, generate_series(1, 20000) WHERE id = $1`,
      [busy],
    )
    await execute(null, 'ANALYZE runs')
    const [line] = await many<Record<'QUERY PLAN', object>>(
      null,
      'EXPLAIN (ANALYZE, FORMAT JSON) SELECT (SELECT r.id FROM runs r WHERE r.job_id = j.id ORDER BY r.id DESC LIMIT 1) FROM jobs j',
    )
    expect(JSON.stringify(line)).not.toContain('"Rows Removed by Filter":')
    expect((await listJobs(ADMIN)).find(({ id }) => id === rare)?.lastRun?.id).toBe(run.id)
  })

  it('has a title of its own in its area', async () => {
    await makeJob({}, 'Once')
    await expect(makeJob({}, 'ONCE')).rejects.toMatchObject({ errors: [{ path: 'title' }] })
  })

  it('leaves the lists when removed, and its title is free again', async () => {
    const id = await makeJob({}, 'Removed')
    const run = await startRun(ADMIN, startSchema.parse({ jobId: id }))
    await removeJob(ADMIN, id)
    expect((await listJobs(ADMIN)).some((j) => j.id === id)).toBe(false)
    await expect(oneJob(ADMIN, id)).rejects.toMatchObject({ code: 'not-found' })
    await expect(startRun(ADMIN, startSchema.parse({ jobId: id }))).rejects.toMatchObject({ code: 'not-found' })
    expect((await stateOf(run.id)).state).toBe('ready')
    await stopRun(ADMIN, run.id)
    await makeJob({}, 'Removed')
  })
})

describe('upkeep', () => {
  it('takes the median of the last successful runs as the usual length', async () => {
    const agent = await makeAgent('a1')
    const jobId = await makeJob({}, 'Usual')
    for (const minutes of [10, 2, 30]) {
      const { id } = await startRun(ADMIN, startSchema.parse({ jobId }))
      await report(agent, await lease(id, agent), 1, started, ended(0))
      await execute(null, 'UPDATE runs SET duration_ms = $2 WHERE id = $1', [id, minutes * 60_000])
    }
    await refreshUsual(new Date(Date.now() - 60_000))
    expect((await oneJob(ADMIN, jobId)).usualMs).toBe(600_000)
  })

  it('clears the board and removes what has been kept long enough', async () => {
    const agent = await makeAgent('a2')
    const jobId = await makeJob(
      { keeping: { board: 'after-hours', boardHours: 2, historyDays: 30, outputDays: 10 } },
      'Kept',
    )
    const make = async (daysAgo: number): Promise<{ id: number; attempt: number }> => {
      const { id } = await startRun(ADMIN, startSchema.parse({ jobId }))
      const held = await lease(id, agent)
      await report(agent, held, 1, started, output('line'), ended(0))
      await execute(null, 'UPDATE runs SET ended_at = now() - make_interval(days => $2) WHERE id = $1', [id, daysAgo])
      await execute(null, 'UPDATE attempts SET ended_at = now() - make_interval(days => $2) WHERE id = $1', [
        held.attempt,
        daysAgo,
      ])
      return { id, attempt: held.attempt }
    }
    const [fresh, old, ancient] = [await make(0), await make(11), await make(31)]
    await clearBoard()
    const cleared = await many<{ id: number }>(
      null,
      'SELECT id FROM runs WHERE job_id = $1 AND cleared_at IS NOT NULL ORDER BY id',
      [jobId],
    )
    expect(cleared.map((r) => r.id)).toEqual([old.id, ancient.id])
    await execute(
      null,
      `INSERT INTO triggers (slug, title, job_id, definition, saved_by) VALUES ('kept', 'Kept', $1, '{}', '')`,
      [jobId],
    )
    await execute(
      null,
      `INSERT INTO not_started (trigger_id, trigger_version, first_occurrence, last_occurrence, times, why, detail, at)
       SELECT id, 1, now(), now(), 1, 'late', '', now() - make_interval(days => d) FROM triggers, (VALUES (399), (401)) AS v(d)`,
    )
    await purge()
    expect(await many(null, 'SELECT 1 FROM not_started')).toHaveLength(1)
    expect(await outputOf(fresh.attempt)).toEqual(['line'])
    expect(await outputOf(old.attempt)).toEqual([])
    expect(await many(null, 'SELECT id FROM runs WHERE id = ANY($1)', [[fresh.id, old.id, ancient.id]])).toHaveLength(2)
  })

  it('forgets versions beyond the newest so many, but for those that a run was made by', async () => {
    const agent = await makeAgent('a4')
    const jobId = await makeJob({}, 'Often saved')
    const { id } = await startRun(ADMIN, startSchema.parse({ jobId }))
    await report(agent, await lease(id, agent), 1, started, ended(0))
    const most = limit('versions_kept')
    await execute(
      null,
      `INSERT INTO job_versions SELECT $1, n, (SELECT definition FROM job_versions WHERE job_id = $1 AND version = 1) FROM generate_series(2, $2) n`,
      [jobId, most + 5],
    )
    await execute(null, 'UPDATE jobs SET version = $2 WHERE id = $1', [jobId, most + 5])
    await purge()
    const kept = await many<{ version: number }>(
      null,
      'SELECT version FROM job_versions WHERE job_id = $1 ORDER BY version LIMIT 3',
      [jobId],
    )
    expect(kept.map(({ version }) => version)).toEqual([1, 6, 7])
  })

  it('takes a run off the board at once where its job says so', async () => {
    const agent = await makeAgent('a3')
    const jobId = await makeJob(
      { keeping: { board: 'on-success', boardHours: 24, historyDays: 30, outputDays: 10 } },
      'Quiet',
    )
    const finish = async (code: number): Promise<unknown> => {
      const { id } = await startRun(ADMIN, startSchema.parse({ jobId }))
      await report(agent, await lease(id, agent), 1, started, ended(code))
      return one(null, 'SELECT cleared_at IS NOT NULL AS cleared FROM runs WHERE id = $1', [id])
    }
    expect(await finish(0)).toEqual({ cleared: true })
    expect(await finish(1)).toEqual({ cleared: false })
  })
})
