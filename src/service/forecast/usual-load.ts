import type { Day } from '@/core/calendar/days'
import type { Target } from '@/core/dispatch'
import { idleSteps } from '@/core/flow/critical'
import { FlowFault } from '@/core/flow/inputs'
import { lookOn, type IsDay } from '@/core/flow/rehearse'
import { drawnOf, timesOf, type Span } from '@/core/flow/times'
import type { Plan } from '@/core/flow/plan'
import { many, type Tx } from '@/store/db'
import { layOut, presentPlans, type StoredPlan } from '@/service/flows/flow-plans'
import { DEFAULT_USUAL_MS } from '@/service/runs/dispatch-input'

/** Slots that a run takes up somewhere, from so long after its start and for so long, milliseconds. */
interface Stretch {
  readonly target: Target
  readonly slots: number
  readonly afterMs: number
  readonly lengthMs: number
}

/** What a run of a job or flow takes up by usual lengths, with its release on a day; nothing of what only failures lead to. */
export type UsualLoad = (jobId: number, day: Day) => readonly Stretch[]

export async function usualLoads(tx: Tx | null, ids: readonly number[], isDay: IsDay): Promise<UsualLoad> {
  const plans = new Map<number, { plan: Plan; jobIds: ReadonlyMap<string, number> }>()
  for (const [id, source] of await presentPlans(tx, ids)) {
    const plan = laidOut(source)
    if (plan) plans.set(id, { plan, jobIds: new Map(source.jobs.map((job) => [job.id, job.jobId])) })
  }
  const jobIds = new Set([...ids, ...[...plans.values()].flatMap((each) => [...each.jobIds.values()])])
  const jobs = new Map(
    (
      await many<{ id: number; target: Target; slots: number; usualMs: number | null }>(
        tx,
        `SELECT j.id, v.definition->'target' AS target, coalesce((v.definition->>'slots')::int, 1) AS slots, j.usual_ms AS "usualMs"
           FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version WHERE j.id = ANY($1) AND NOT j.is_flow`,
        [[...jobIds]],
      )
    ).map((job) => [job.id, job]),
  )
  const known = new Map<string, readonly Stretch[]>()
  return (jobId, day) => {
    const own = jobs.get(jobId)
    if (own) return [{ target: own.target, slots: own.slots, afterMs: 0, lengthMs: own.usualMs ?? DEFAULT_USUAL_MS }]
    const key = `${jobId} ${day}`
    let load = known.get(key)
    if (!load) known.set(key, (load = loadOfFlow(jobId, day)))
    return load
  }

  /** A flow that starts many times a day takes up the same each time. */
  function loadOfFlow(jobId: number, day: Day): readonly Stretch[] {
    const flow = plans.get(jobId)
    if (!flow) return []
    const { plan, jobIds } = flow
    const steps = drawnOf(plan.steps)
    const jobOf = (index: number): ReturnType<typeof jobs.get> =>
      jobs.get(jobIds.get(plan.steps[index]?.job ?? '') ?? 0)
    const look = lookOn(day, isDay)
    const isSkipped = plan.steps.map((step) => look(step) !== 'open')
    const times = timesOf(
      steps,
      (index) => jobOf(index)?.usualMs ?? ((plan.steps[index]?.expect ?? 0) * 1000 || DEFAULT_USUAL_MS),
      (index) => (isSkipped[index] ? { isSkipped: true } : null),
    )
    const idle = idleSteps(plan, look)
    return steps.flatMap(({ index }) => {
      const job = jobOf(index)
      if (!job || idle.has(index)) return []
      const { start, end } = times[index] as Span
      return [{ target: job.target, slots: job.slots, afterMs: start, lengthMs: end - start }]
    })
  }
}

/** Inputs decide gates only; a flow that cannot be laid out without what its trigger gives is left out. */
function laidOut(source: StoredPlan): Plan | null {
  try {
    return layOut(0, source, {}, null)
  } catch (error) {
    if (error instanceof FlowFault) return null
    throw error
  }
}
