import { timeChanges, type StepTimes } from '@/core/changes/differences'
import type { Change } from '@/core/changes/since-good'
import { many } from '@/store/db'
import type { Actor } from '@/service/base/actor'
import { definitions, elsewhere, lookedAt, type Looked } from './changes-of'

interface StepRun extends StepTimes {
  readonly id: number
  readonly jobId: number
  readonly jobVersion: number
  readonly state: string
  readonly endedAt: Date | null
}

/** Of a flow that failed at many steps the first tell what there is to tell. */
const MOST_STEPS = 3
/** A flow may have a thousand steps; of so many whose work was changed it is told how. */
const MOST_CHANGED = 20

const TIMES = `coalesce(r.duration_ms, CASE WHEN r.state = 'running' THEN extract(epoch FROM now() - r.started_at) * 1000 END)::float8 AS "tookMs",
       (extract(epoch FROM coalesce(r.started_at, CASE WHEN r.state = 'ready' THEN now() END) - r.ready_at) * 1000)::float8 AS "waitedMs"`

/** How a run itself went in time. */
const ownTimes = (ids: readonly number[]): Promise<(StepTimes & { readonly id: number })[]> =>
  many(null, `SELECT r.id, '' AS path, '' AS title, ${TIMES} FROM runs r WHERE r.id = ANY($1)`, [ids])

/** The newest run of each step of a flow run. */
const stepsOf = (flowRunId: number): Promise<StepRun[]> =>
  many<StepRun>(
    null,
    `SELECT DISTINCT ON (r.step_path) r.id, r.step_path AS path, j.title, r.job_id AS "jobId", r.job_version AS "jobVersion", r.state, r.ended_at AS "endedAt", ${TIMES}
       FROM runs r JOIN jobs j ON j.id = r.job_id WHERE r.flow_run_id = $1 AND r.step_path IS NOT NULL ORDER BY r.step_path, r.id DESC`,
    [flowRunId],
  )

const stepName = ({ title }: { readonly title: string }): string => `Step ${title}`

/**
 * What a run and the steps around it have to tell: how long it waited and took, of a step how long those before it took, of a flow how long its steps took, how the work of each was changed, and
 * what was changed of all that its failed steps touch; against the last good run.
 */
export async function changesOfSteps(actor: Actor, run: Looked, goodId: number, goodMs: number): Promise<Change[]> {
  const times = await ownTimes([goodId, run.id])
  const of = (id: number): StepTimes[] => times.filter((one) => one.id === id)
  // What a failed run took says nothing of why.
  const isWhole = !['failed', 'lost', 'cancelled'].includes(run.state)
  const own = timeChanges(
    of(goodId),
    of(run.id).map((one) => (isWhole ? one : { ...one, tookMs: null })),
    () => 'It',
  )
  if (run.isFlow) return [...own, ...(await withinFlow(actor, run.id, goodId, goodMs))]
  if (run.flowRunId === null || run.startedAt === null) return own
  const [good] = await lookedAt([goodId])
  if (!good || good.flowRunId === null) return own
  const begun = run.startedAt.getTime()
  const [then, now] = [await stepsOf(good.flowRunId), await stepsOf(run.flowRunId)]
  const before = now.filter(({ endedAt, id }) => id !== run.id && endedAt !== null && endedAt.getTime() <= begun)
  return [...own, ...timeChanges(then, before, stepName)]
}

async function withinFlow(actor: Actor, flowRunId: number, goodId: number, goodMs: number): Promise<Change[]> {
  const [then, now] = [await stepsOf(goodId), await stepsOf(flowRunId)]
  const before = new Map(then.map((step) => [step.path, step]))
  const found: Change[] = timeChanges(then, now, stepName)
  const changed = now.flatMap((step) => {
    const was = before.get(step.path)
    return was && was.jobId === step.jobId && was.jobVersion < step.jobVersion ? [{ step, was }] : []
  })
  for (const { step, was } of changed.slice(0, MOST_CHANGED))
    found.push(...(await definitions({ ...step, isFlow: false }, was.jobVersion, `${stepName(step)}, `)))
  const failed = now.filter(({ state }) => state === 'failed' || state === 'lost').slice(0, MOST_STEPS)
  for (const step of await lookedAt(failed.map(({ id }) => id))) found.push(...(await elsewhere(actor, step, goodMs)))
  // Several steps may touch the same.
  return [...new Map(found.map((change) => [`${change.kind} ${change.atMs} ${change.says}`, change])).values()]
}
