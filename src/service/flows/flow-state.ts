import { groupedBy } from '@/core/group'
import { parseIsoDay } from '@/core/calendar/days'
import { isOpen, type HandedOn } from '@/core/flow/rehearse'
import type { Plan, PlanStep } from '@/core/flow/plan'
import type { Look, StepResult } from '@/core/flow/state'
import { distinctTitles } from '@/core/flow/titles'
import { execute, many, type Tx } from '@/store/db'
import { layOut, storedPlans, type StoredPlan } from './flow-plans'
import { unsealInputs } from '@/service/base/secrets'
import type { Starter } from '@/service/work/shared-values'
import { daysAround, type DayOf } from '@/service/work/run-days'
import { timingState, type TimingState } from '@/service/base/timing-cache'

/** A flow run, locked for a change. */
export interface FlowRow {
  readonly id: number
  readonly jobId: number
  readonly title: string
  readonly state: string
  readonly planId: number | null
  readonly day: string | null
  readonly inputs: Readonly<Record<string, string>>
  readonly secrets: Buffer | null
  readonly stopAskedBy: string | null
  readonly dueAt: Date | null
  readonly priority: number
  readonly startedBy: number | null
  readonly starterName: string
  /** null: no person started it. */
  readonly starterEmail: string | null
  readonly occurrenceDay: string | null
  readonly zone: string | null
}

const FLOW_COLUMNS = `
  r.id, r.job_id AS "jobId", j.title, r.state, r.plan_id AS "planId", r.flow_day::text AS day, r.inputs, r.secrets, r.stop_asked_by AS "stopAskedBy",
  r.due_at AS "dueAt", r.priority, r.started_by AS "startedBy", r.starter_name AS "starterName", r.occurrence_day::text AS "occurrenceDay",
  (SELECT p.email FROM people p WHERE p.id = r.started_by) AS "starterEmail",
  (SELECT t.definition->>'zone' FROM triggers t WHERE t.id = r.trigger_id) AS zone`

/** These flow runs, locked for a change: after waiting for whoever is at them, or only those that nobody else is at. */
export async function lockFlows(tx: Tx, ids: readonly number[], lock: 'wait' | 'if free' | 'none'): Promise<FlowRow[]> {
  return many<FlowRow>(
    tx,
    `SELECT ${FLOW_COLUMNS} FROM runs r JOIN jobs j ON j.id = r.job_id WHERE r.id = ANY($1) AND r.kind = 'flow' ORDER BY r.id ${LOCK[lock]}`,
    [ids],
  )
}

// No key changes: rows that refer to the run may be written meanwhile. A full lock would wait for whoever reports a step, and that one for it.
const LOCK = { wait: 'FOR NO KEY UPDATE OF r', 'if free': 'FOR NO KEY UPDATE OF r SKIP LOCKED', none: '' } as const

/** Whoever started it, for defaults that ask. */
export const starterOf = ({ starterName, starterEmail }: FlowRow): Starter => ({
  name: starterName,
  email: starterEmail,
})

/** One step as it is stored. */
export interface StepRow {
  readonly runId: number
  readonly step: number
  readonly state: StepResult['state']
  readonly reason: 'gate' | 'off' | 'passed-over' | null
  readonly tolerated: boolean
  readonly stepRunId: number | null
  readonly heldBy: string | null
  /** Of its newest run. */
  readonly attempts: number
  readonly runState: string | null
  readonly endedAt: Date | null
}

export async function stepRows(tx: Tx | null, flowRunIds: readonly number[]): Promise<Map<number, StepRow[]>> {
  const rows = await many<StepRow>(
    tx,
    `SELECT s.run_id AS "runId", s.step, s.state, s.reason, s.tolerated, s.step_run_id AS "stepRunId", s.held_by AS "heldBy",
            coalesce(r.attempts, 0) AS attempts, r.state AS "runState", r.ended_at AS "endedAt"
       FROM flow_steps s LEFT JOIN runs r ON r.id = s.step_run_id WHERE s.run_id = ANY($1) ORDER BY s.run_id, s.step`,
    [flowRunIds],
  )
  return groupedBy(rows, ({ runId }) => runId)
}

export const resultOf = ({ state, reason, tolerated }: StepRow): StepResult => ({
  state,
  ...(reason ? { reason } : {}),
  ...(tolerated ? { tolerated: true as const } : {}),
})

export interface StepChange {
  readonly runId: number
  readonly step: number
  readonly result: StepResult
  readonly stepRunId: number | null
  readonly startedAtMs: number | null
  readonly endedAtMs: number | null
}

/** Writes what became of steps; a new run of a step takes the place of the one before. */
export async function writeSteps(tx: Tx, changes: readonly StepChange[]): Promise<void> {
  if (changes.length === 0) return
  const date = (ms: number | null): Date | null => (ms === null ? null : new Date(ms))
  await execute(
    tx,
    `UPDATE flow_steps s SET state = u.state, reason = u.reason, tolerated = u.tolerated, step_run_id = coalesce(u.step_run, s.step_run_id),
            started_at = CASE WHEN u.state = 'waiting' THEN NULL ELSE coalesce(u.started, s.started_at) END,
            ended_at = u.ended,
            held_by = CASE WHEN u.state IN ('waiting','ready') THEN s.held_by END
       FROM unnest($1::bigint[], $2::int[], $3::text[], $4::text[], $5::bool[], $6::bigint[], $7::timestamptz[], $8::timestamptz[])
            AS u(run_id, step, state, reason, tolerated, step_run, started, ended)
      WHERE s.run_id = u.run_id AND s.step = u.step`,
    [
      changes.map((c) => c.runId),
      changes.map((c) => c.step),
      changes.map((c) => c.result.state),
      changes.map((c) => c.result.reason ?? null),
      changes.map((c) => c.result.tolerated ?? false),
      changes.map((c) => c.stepRunId),
      changes.map((c) => date(c.startedAtMs)),
      changes.map((c) => date(c.endedAtMs)),
    ],
  )
}

/** The id of a plan that no run has begun with. */
export const NOT_KEPT = 0

/** What is needed to work out flows: their plans, calendars, and which jobs are on. */
export class FlowWorld {
  /** Days by default, in a run of this day. */
  readonly daysAround = (day: string): DayOf => daysAround(this.timing, day)

  /** Of each plan its jobs, by the names that its steps use. */
  private readonly named = new Map<number, ReadonlyMap<string, JobFacts | undefined>>()

  private constructor(
    private readonly plans: ReadonlyMap<number, StoredPlan>,
    private readonly timing: TimingState,
    private readonly jobs: ReadonlyMap<number, JobFacts>,
    private readonly flows: ReadonlyMap<string, boolean>,
  ) {}

  /** `present`: of a run that has not begun, what its flow is now. */
  static async read(tx: Tx | null, planIds: readonly number[], present: StoredPlan | null = null): Promise<FlowWorld> {
    const plans = new Map(await storedPlans(tx, planIds))
    if (present) plans.set(NOT_KEPT, present)
    const sources = [...plans.values()]
    const jobs = await many<JobFacts>(
      tx,
      'SELECT id, title, active AND deleted_at IS NULL AS on, usual_ms AS "usualMs" FROM jobs WHERE id = ANY($1)',
      [[...new Set(sources.flatMap((source) => source.jobs.map(({ jobId }) => jobId)))]],
    )
    const flows = await many<{ slug: string; on: boolean }>(
      tx,
      'SELECT slug, active AS on FROM jobs WHERE is_flow AND deleted_at IS NULL AND slug = ANY($1)',
      [[...new Set(sources.flatMap((source) => source.flows.map(({ id }) => id)))]],
    )
    return new FlowWorld(
      plans,
      await timingState(tx),
      new Map(jobs.map((job) => [job.id, job])),
      new Map(flows.map(({ slug, on }) => [slug, on])),
    )
  }

  source(planId: number): StoredPlan {
    const source = this.plans.get(planId)
    if (!source) throw new Error('what is stored of the flow cannot be read')
    return source
  }

  /** Throws a FlowFault if its inputs do not fit. */
  plan({ id, planId, inputs, secrets }: Pick<FlowRow, 'id' | 'planId' | 'inputs' | 'secrets'>): Plan {
    return layOut(planId as number, this.source(planId as number), inputs, secrets && unsealInputs(secrets, id))
  }

  jobOf(planId: number, step: PlanStep): JobFacts | undefined {
    if (step.job === null) return undefined
    let named = this.named.get(planId)
    if (!named) {
      named = new Map(this.source(planId).jobs.map(({ id, jobId }) => [id, this.jobs.get(jobId)]))
      this.named.set(planId, named)
    }
    return named.get(step.job)
  }

  /** What its steps are called where they are shown, by index. */
  titles(planId: number, plan: Plan): string[] {
    const flows = this.source(planId).titles
    return distinctTitles(
      plan.steps.map((step) => ({
        parent: step.parent,
        title: step.definition.title ?? this.jobOf(planId, step)?.title ?? flows[step.flow ?? ''] ?? step.path,
        id: step.definition.id,
      })),
    )
  }

  /** Whether a gate of the plan looks at what a step handed on. */
  looksAtValues(planId: number): boolean {
    return this.source(planId).flows.some(({ steps }) => steps.some(({ gate }) => gate && 'value' in (gate as object)))
  }

  /**
   * What steps meet on the run's day, as jobs are switched now. `handedOn`: without it a gate on a value counts as open. Throws a FlowFault for a gate on an input without
   * a value.
   */
  look(planId: number, day: string, handedOn?: HandedOn): Look {
    const at = parseIsoDay(day) ?? 0
    const isDay: Parameters<typeof isOpen>[3] = (rule, on) => this.timing.timings.daysOf(rule).has(on)
    return (step) => {
      if (!isOpen(step.gate, step, at, isDay, handedOn)) return 'gate'
      const isOn = step.flow === null ? this.jobOf(planId, step)?.on : this.flows.get(step.flow)
      return isOn === true ? 'open' : 'off'
    }
  }
}

export interface JobFacts {
  readonly id: number
  readonly title: string
  readonly on: boolean
  readonly usualMs: number | null
}
