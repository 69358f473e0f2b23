import type { JobDefinition } from '@/core/work/job'
import { freshDatabase } from '@/store/database.test-help'
import { execute, one } from '@/store/db'
import { makeJob } from '@/service/fixtures.test-help'
import { lengthsByJob, refreshLengths } from './lengths'

freshDatabase()

const HARBOUR: JobDefinition['inputs'][number] = {
  name: 'harbour',
  title: 'Harbour',
  type: 'choice',
  ask: false,
  options: ['kelda', 'orrin'],
  default: 'kelda',
}
/** Runs that have ended, one an hour, the last an hour ago. */
async function ran(jobId: number, minutes: number, inputs: object, times: number, hoursAgo = 1): Promise<void> {
  await execute(
    null,
    `INSERT INTO runs (job_id, job_version, area_id, target, kind, cause, state, priority, attempts, inputs, created_at, ready_at, started_at, ended_at, duration_ms)
     SELECT j.id, 1, j.area_id, '{"pool":"quay"}', 'command', 'person', 'succeeded', 2, 1, $2, at, at, at, at, $3
       FROM jobs j, generate_series(0, $4 - 1) AS n, LATERAL (SELECT now() - make_interval(hours => n + $5) AS at) x WHERE j.id = $1`,
    [jobId, JSON.stringify(inputs), minutes * 60_000, times, hoursAgo],
  )
}
const slugOf = async (id: number): Promise<string> =>
  (await one<{ slug: string }>(null, 'SELECT slug FROM jobs WHERE id = $1', [id])).slug

it('lengths are measured by the value of a choice that makes a difference', async () => {
  const [till, plain] = [await makeJob({ inputs: [HARBOUR] }), await makeJob()]
  await ran(till, 10, { harbour: 'kelda', note: 'x' }, 20)
  await ran(till, 1, { harbour: 'orrin' }, 20)
  await ran(plain, 5, {}, 9)
  await refreshLengths()
  const lengths = await lengthsByJob()
  expect(lengths[await slugOf(till)]).toMatchObject({
    count: 40,
    isGuess: false,
    byChoice: {
      input: 'harbour',
      samples: { kelda: expect.arrayContaining([600]), orrin: expect.arrayContaining([60]) },
    },
  })
  expect(lengths[await slugOf(plain)]).toEqual({
    samples: Array(9).fill(300),
    fails: expect.any(Number),
    count: 9,
    isGuess: false,
  })
})

it('only what ran since, or was not looked at for a day, is looked at again; with too few runs it is the median of its kind', async () => {
  const [often, seldom] = [await makeJob(), await makeJob()]
  await ran(often, 5, {}, 12, 2)
  await refreshLengths()
  expect(await refreshLengths()).toBe(0)
  await ran(seldom, 90, {}, 1, 0)
  // A Date knows whole milliseconds, the database more: what ended within this one may have ended after it.
  const later = new Date(Date.now() + 1)
  expect(await refreshLengths(later)).toBe(1)
  expect(await refreshLengths(later)).toBe(0)
  await execute(null, `UPDATE job_lengths SET measured_at = now() - interval '25 hours' WHERE job_id = $1`, [often])
  expect(await refreshLengths()).toBe(1)
  const { samples, isGuess, count } = (await lengthsByJob())[await slugOf(seldom)] ?? {}
  expect({ samples, isGuess, count }).toEqual({ samples: [300], isGuess: true, count: 1 })
})
