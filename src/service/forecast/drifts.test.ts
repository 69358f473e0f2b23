import { freshDatabase, VIEWER } from '@/store/database.test-help'
import { execute } from '@/store/db'
import { listDrifts } from './drifts'
import { makeJob } from '@/service/fixtures.test-help'

freshDatabase()

/** Successful runs, four a day for forty days, that take `from` seconds and grow by `by` each day; some take ten times as long. */
async function past(jobId: number, from: number, by: number, state = 'succeeded'): Promise<void> {
  await execute(
    null,
    `INSERT INTO runs (job_id, job_version, area_id, target, kind, cause, state, priority, started_at, ended_at, duration_ms, created_at)
     SELECT $1, 1, (SELECT area_id FROM jobs WHERE id = $1), '{"pool":"p"}', 'command', 'person', $4, 2, at, at, ms, at
       FROM (SELECT now() - make_interval(days => 40 - d, hours => h * 3) AS at,
                    ($2 + $3 * d + (d * 7 + h * 3) % 5) * 1000 * CASE WHEN (d + h) % 9 = 0 THEN 10 ELSE 1 END AS ms
               FROM generate_series(1, 39) d CROSS JOIN generate_series(0, 3) h) x`,
    [jobId, from, by, state],
  )
}

it('finds the jobs that became slower or quicker, by the medians of their days, and asks again only after a while', async () => {
  const [slower, quicker, steady, failing] = [await makeJob(), await makeJob(), await makeJob(), await makeJob()]
  await past(slower, 100, 2)
  await past(quicker, 300, -3)
  await past(steady, 100, 0)
  await past(failing, 100, 5, 'failed')
  const now = Date.now()
  const drifts = await listDrifts(VIEWER, now)
  expect(drifts.map(({ jobId }) => jobId).sort((a, b) => a - b)).toEqual([slower, quicker])
  const of = (id: number): number => drifts.find(({ jobId }) => jobId === id)?.change ?? 0
  expect(of(slower)).toBeGreaterThan(0.6)
  expect(of(slower)).toBeLessThan(0.9)
  expect(of(quicker)).toBeLessThan(-0.3)
  await past(steady, 5, 9)
  expect(await listDrifts(VIEWER, now + 60_000)).toEqual(drifts)
  expect(await listDrifts(VIEWER, now + 11 * 60_000)).not.toEqual(drifts)
})
