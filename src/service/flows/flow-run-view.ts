import { foresee } from '@/core/flow/critical'
import type { PlanStep, When } from '@/core/flow/plan'
import type { Look } from '@/core/flow/state'
import { sayDays } from '@/core/phrase/say'
import { many, transaction } from '@/store/db'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { presentPlans } from './flow-plans'
import { FlowWorld, lockFlows, NOT_KEPT, type StepRow } from './flow-state'
import { notFound } from '@/service/base/problem'
import { timingState } from '@/service/base/timing-cache'

export interface FlowStepView {
  readonly index: number
  readonly path: string
  readonly parent: number
  readonly title: string
  readonly jobId: number | null
  readonly flow: string | null
  readonly links: readonly { readonly from: number; readonly when: When }[]
  readonly join: 'all' | 'any'
  readonly gate: string | null
  /** Of a step that waits: what will keep it from running on the day of the run, as things stand; `outer`: something keeps the flow step that it lies in. */
  readonly willSkip: 'gate' | 'off' | 'outer' | null
  readonly onFailure: string
  readonly routeTo: number
  readonly usualMs: number
  readonly state: StepRow['state']
  readonly reason: StepRow['reason']
  readonly tolerated: boolean
  readonly heldBy: string | null
  readonly marked: { readonly by: string; readonly why: string } | null
  readonly runId: number | null
  readonly runState: string | null
  readonly runReason: string
  readonly attempts: number
  readonly maxAttempts: number
  readonly startAfter: string | null
  readonly startedAt: string | null
  readonly endedAt: string | null
  readonly agent: string | null
}

export interface FlowRunView {
  readonly day: string | null
  readonly steps: readonly FlowStepView[]
}

/** A flow run's steps as they stand; of one that has not begun, as its flow is now. */
export async function flowRunView(actor: Actor, id: number): Promise<FlowRunView> {
  requireSomewhere(actor, 'see')
  return transaction(async (tx) => {
    const [row] = await lockFlows(tx, [id], 'none')
    if (!row) throw notFound('flow run', id)
    const present = row.planId === null ? (await presentPlans(tx, [row.jobId])).get(row.jobId) : null
    if (present === undefined) return { day: row.day, steps: [] }
    const planId = row.planId ?? NOT_KEPT
    const world = await FlowWorld.read(tx, row.planId === null ? [] : [row.planId], present)
    const plan = world.plan({ ...row, planId })
    const rows = await many<StoredStep>(
      tx,
      `SELECT s.step, s.state, s.reason, s.tolerated, coalesce(r.held_by, s.held_by) AS "heldBy", s.marked_by AS "markedBy", s.marked_why AS "markedWhy",
              r.id AS "runId", r.state AS "runState", coalesce(r.reason, '') AS "runReason", coalesce(r.attempts, 0) AS attempts,
              coalesce(r.max_attempts, 1) AS "maxAttempts", r.start_after AS "startAfter",
              CASE WHEN r.id IS NULL THEN s.started_at ELSE r.started_at END AS "startedAt",
              CASE WHEN r.id IS NULL THEN s.ended_at ELSE r.ended_at END AS "endedAt", a.name AS agent
         FROM flow_steps s LEFT JOIN runs r ON r.id = s.step_run_id LEFT JOIN agents a ON a.id = r.agent_id WHERE s.run_id = $1`,
      [id],
    )
    const stored = new Map(rows.map((each) => [each.step, each]))
    const look = row.day === null ? null : world.look(planId, row.day)
    const calendars = (await timingState(tx)).stored.map(({ slug, title }) => ({ id: slug, title }))
    const titles = world.titles(planId, plan)
    const views = plan.steps.map((step) =>
      viewOf(step, titles[step.index] as string, stored.get(step.index), world, planId, calendars, look),
    )
    return { day: row.day, steps: withOuterSkips(views) }
  })
}

/** Steps that wait in a flow step that will be skipped are skipped with it. Flow steps come before the steps in them. */
function withOuterSkips(views: readonly FlowStepView[]): FlowStepView[] {
  const seen: FlowStepView[] = []
  for (const view of views) {
    const isLeftOut = view.state === 'waiting' && seen[view.parent]?.willSkip
    seen.push(isLeftOut ? { ...view, willSkip: 'outer' } : view)
  }
  return seen
}

interface StoredStep extends Omit<StepRow, 'runId' | 'stepRunId' | 'endedAt'> {
  readonly markedBy: string | null
  readonly markedWhy: string | null
  readonly runId: number | null
  readonly runReason: string
  readonly maxAttempts: number
  readonly startAfter: string | null
  readonly startedAt: string | null
  readonly endedAt: string | null
  readonly agent: string | null
}

function viewOf(
  step: PlanStep,
  title: string,
  stored: StoredStep | undefined,
  world: FlowWorld,
  planId: number,
  calendars: Parameters<typeof sayDays>[1],
  look: Look | null,
): FlowStepView {
  const job = world.jobOf(planId, step)
  const meets = look ? foresee(look, step) : 'open'
  const state = stored?.state === 'ready' && (stored.attempts ?? 0) > 0 ? 'running' : (stored?.state ?? 'waiting')
  return {
    index: step.index,
    path: step.path,
    parent: step.parent,
    title,
    jobId: job?.id ?? null,
    flow: step.flow,
    links: step.links,
    join: step.join,
    gate: gateWords(step.gate, calendars),
    willSkip: state === 'waiting' && meets !== 'open' ? meets : null,
    onFailure: step.onFailure,
    routeTo: step.routeTo,
    usualMs: job?.usualMs ?? (step.expect ?? 0) * 1000,
    state,
    reason: stored?.reason ?? null,
    tolerated: stored?.tolerated ?? false,
    heldBy: stored?.heldBy ?? null,
    marked: stored?.markedBy ? { by: stored.markedBy, why: stored.markedWhy ?? '' } : null,
    runId: stored?.runId ?? null,
    runState: stored?.runState ?? null,
    runReason: stored?.runReason ?? '',
    attempts: stored?.attempts ?? 0,
    maxAttempts: stored?.maxAttempts ?? 1,
    startAfter: stored?.startAfter ?? null,
    startedAt: stored?.startedAt ?? null,
    endedAt: stored?.endedAt ?? null,
    agent: stored?.agent ?? null,
  }
}

function gateWords(gate: PlanStep['gate'], calendars: Parameters<typeof sayDays>[1]): string | null {
  if (gate === null) return null
  if ('days' in gate) return `only on ${sayDays(gate.days, calendars)}`
  const values = gate.values.map((value) => String(value) || 'empty').join(' or ')
  const what = 'value' in gate ? `what ${gate.value.path} hands on as ${gate.value.name}` : gate.input
  return gate.is === 'not' ? `only if ${what} is not ${values}` : `only if ${what} is ${values}`
}

export interface StoryLine {
  readonly at: string
  readonly what: string
  readonly step: string | null
  readonly by: string | null
  readonly runId: number | null
}

/** What happened in a flow run, oldest first: its steps' beginnings and ends, and what people did. */
export async function flowStory(actor: Actor, id: number): Promise<StoryLine[]> {
  requireSomewhere(actor, 'see')
  return many<StoryLine>(
    null,
    `SELECT * FROM (
       SELECT at, what, step, by_name AS by, NULL::bigint AS "runId" FROM flow_events WHERE run_id = $1
       UNION ALL
       SELECT started_at, 'began', step_path, NULL, id FROM runs WHERE flow_run_id = $1 AND started_at IS NOT NULL
       UNION ALL
       SELECT ended_at, state || CASE WHEN reason = '' THEN '' ELSE ': ' || reason END, step_path, NULL, id FROM runs
        WHERE flow_run_id = $1 AND ended_at IS NOT NULL
       UNION ALL
       SELECT started_at, 'the flow began', NULL, NULL, NULL FROM runs WHERE id = $1 AND started_at IS NOT NULL
       UNION ALL
       SELECT ended_at, 'the flow ' || state || CASE WHEN reason = '' THEN '' ELSE ': ' || reason END, NULL, NULL, NULL FROM runs
        WHERE id = $1 AND ended_at IS NOT NULL) t ORDER BY at, "runId" NULLS FIRST LIMIT 2000`,
    [id],
  )
}
