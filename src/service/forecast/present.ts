import { groupedBy } from '@/core/group'
import { isoDay, parseIsoDay } from '@/core/calendar/days'
import { PRIORITIES, type Priority, type Target } from '@/core/dispatch'
import type { OpenNight, OpenRun, Server, ServerAgent, ServerRobot } from '@/core/forecast/server'
import type { StepResult } from '@/core/flow/state'
import { many } from '@/store/db'
import { allowancesNow } from '@/service/fleet/allowances'
import { kindsOff } from '@/service/fleet/kinds'
import { readRobots, robotsClosed } from '@/service/fleet/robot-facts'
import { fleetForDispatch, type FleetRow } from '@/service/runs/dispatch-input'
import { resultOf, stepRows, type StepRow } from '@/service/flows/flow-state'
import { layOut, storedPlans } from '@/service/flows/flow-plans'
import { readSetting } from '@/service/base/settings'
import { lengthsByJob } from './lengths'

interface OpenRow {
  readonly id: number
  readonly flowRunId: number | null
  readonly stepPath: string | null
  readonly kind: string
  readonly state: 'waiting' | 'ready' | 'running'
  readonly slug: string
  readonly trigger: string | null
  readonly occurrence: Date | null
  readonly day: string | null
  readonly flowDay: string | null
  readonly due: Date | null
  readonly createdAt: Date
  readonly readyAt: Date | null
  readonly startAfter: Date | null
  readonly startedAt: Date | null
  readonly handedAt: Date | null
  readonly agent: string | null
  readonly machine: string | null
  readonly attempts: number
  readonly held: boolean
  readonly afterEarlier: boolean
  readonly priority: number
  readonly target: Target | null
  readonly inputs: Readonly<Record<string, string>>
  readonly planId: number | null
}

const seconds = (at: Date): number => at.getTime() / 1000

/** So far ahead the hours of robots are worked out, seconds. */
const HOURS_AHEAD = 32 * 86_400

/** How everything stands at this moment, as a forecast takes it up. */
export async function present(): Promise<Server> {
  const [fleet, robots, lengths, open, { on }, off, allowances] = await Promise.all([
    fleetForDispatch(),
    readRobots(),
    lengthsByJob(),
    openNights(),
    readSetting(null, 'starts'),
    kindsOff(null),
    allowancesNow(),
  ])
  const now = Math.floor(Date.now() / 1000)
  const closed = await robotsClosed(robots, now, now + HOURS_AHEAD)
  const closedOf = new Map(robots.map(({ id }, i) => [id, closed[i] ?? []]))
  return {
    agents: fleet.flatMap((row) => (row.robot === null ? [factsOf(row, off)] : [])),
    robots: fleet.flatMap((row): ServerRobot[] =>
      row.robot === null
        ? []
        : [
            {
              ...factsOf(row, off),
              // What a person at a robot will say nobody knows: it is taken that they agree.
              robot: { ...row.robot, isAttended: false },
              closed: closedOf.get(row.robotId as number) ?? [],
            },
          ],
    ),
    lengths,
    open,
    startsOff: !on,
    allowances: allowances.map(({ what, lock, area, units }) => ({ what, lock, area, units })),
  }
}

/** Only what a forecast needs: it goes to threads and browsers. */
const factsOf = (row: FleetRow, off: Readonly<Record<string, unknown>>): ServerAgent => {
  const { name, on, draining, full, connected, pools, labels, version, accounts, lastStartAtMs } = row
  // Of a kind that is switched off for all nothing begins.
  const abilities = row.abilities.filter((kind) => !(kind in off))
  return {
    ...{ name, on, draining, full: full ?? false, connected, pools, labels, version, abilities, accounts },
    lastStart: lastStartAtMs === null ? null : lastStartAtMs / 1000,
  }
}

/** How a run stood at an instant of the past, as far as its row tells: what is asked for is another at each. */
const THEN = {
  state: `CASE WHEN r.started_at <= $1 THEN 'running' WHEN r.ready_at <= $1 THEN 'ready' ELSE 'waiting' END`,
  where: `r.created_at <= $1 AND r.created_at > $1::timestamptz - interval '7 days' AND (r.ended_at IS NULL OR r.ended_at > $1)`,
} as const
const NOW = { state: 'r.state', where: `r.state IN ('waiting','ready','running') AND $1::timestamptz IS NULL` } as const

/** What is open; `at`: what was open then, by the record. */
export async function openNights(at: Date | null = null): Promise<OpenNight[]> {
  const { state, where } = at ? THEN : NOW
  const rows = await many<OpenRow>(
    null,
    `SELECT r.id, r.flow_run_id AS "flowRunId", r.step_path AS "stepPath", r.kind, ${state} AS state, j.slug, CASE t.kind WHEN 'time' THEN t.slug END AS trigger, r.occurrence, r.occurrence_day::text AS day,
            r.flow_day::text AS "flowDay", r.due_at AS due, r.created_at AS "createdAt", r.ready_at AS "readyAt", r.start_after AS "startAfter", r.started_at AS "startedAt",
            x.handed_at AS "handedAt", CASE WHEN b.id IS NULL THEN a.name ELSE 'robot ' || b.name END AS agent, m.name AS machine, r.attempts, r.held_by IS NOT NULL AS held, r.after_earlier AS "afterEarlier", r.priority,
            r.target, r.inputs, r.plan_id AS "planId"
       FROM runs r JOIN jobs j ON j.id = r.job_id LEFT JOIN triggers t ON t.id = r.trigger_id AND t.deleted_at IS NULL LEFT JOIN agents a ON a.id = r.agent_id LEFT JOIN robots b ON b.id = r.robot_id
       LEFT JOIN agents m ON m.id = r.for_agent_id LEFT JOIN attempts x ON x.run_id = r.id AND x.number = r.attempts
      WHERE ${where} ORDER BY r.id`,
    [at],
  )
  const tops = rows.filter(({ flowRunId }) => flowRunId === null)
  const ofFlow = groupedBy(rows, ({ flowRunId }) => flowRunId)
  const flows = tops.filter(({ kind, planId }) => kind === 'flow' && planId !== null)
  const ids = flows.map(({ id }) => id)
  const [steps, plans] = await Promise.all([
    at ? stepsThen(ids, at) : stepRows(null, ids),
    storedPlans(null, [...new Set(flows.map(({ planId }) => planId as number))]),
  ])
  return tops.map((row): OpenNight => {
    const isFlow = row.kind === 'flow'
    const source = row.planId === null ? undefined : plans.get(row.planId)
    const paths = source ? pathsOf(row, source) : []
    const stood = steps.get(row.id) ?? []
    return {
      trigger: row.trigger,
      number: row.id,
      occurrence: Math.floor(seconds(row.occurrence ?? row.createdAt)),
      day: parseIsoDay(row.flowDay ?? row.day ?? isoDay(Math.floor(row.createdAt.getTime() / 86_400_000))) ?? 0,
      due: row.due && Math.floor(seconds(row.due)),
      start: isFlow ? { flow: row.slug } : { job: row.slug },
      with: row.inputs,
      machine: row.machine,
      priority: (PRIORITIES[row.priority] ?? 'normal') as Priority,
      target: isFlow ? null : row.target,
      waits: waitsFor(row),
      steps: byPath(stood, paths, resultOf),
      held: stood.filter(({ heldBy }) => heldBy !== null).flatMap(({ step }) => paths[step] ?? []),
      runs: (isFlow ? (ofFlow.get(row.id) ?? []) : [row]).map(openRun),
    }
  })
}

/** Steps as they stood at an instant of the past: what had ended by then, ran, or was not decided. */
async function stepsThen(flowRunIds: readonly number[], at: Date): Promise<Map<number, StepRow[]>> {
  const rows = await many<StepRow>(
    null,
    `SELECT run_id AS "runId", step, CASE WHEN ended_at <= $2 THEN state WHEN started_at <= $2 THEN 'running' ELSE 'waiting' END AS state,
            CASE WHEN ended_at <= $2 THEN reason END AS reason, CASE WHEN ended_at <= $2 THEN tolerated ELSE false END AS tolerated,
            step_run_id AS "stepRunId", NULL AS "heldBy", 0 AS attempts, NULL AS "runState", ended_at AS "endedAt"
       FROM flow_steps WHERE run_id = ANY($1) ORDER BY run_id, step`,
    [flowRunIds, at],
  )
  return groupedBy(rows, ({ runId }) => runId)
}

/** What keeps a run that has not begun: its own clock, or the run before it. */
function waitsFor({ state, afterEarlier, startAfter, attempts }: OpenRow): OpenNight['waits'] {
  if (state !== 'waiting' || attempts > 0) return null
  if (afterEarlier) return 'earlier'
  return startAfter ? Math.ceil(seconds(startAfter)) : null
}

const openRun = (row: OpenRow): OpenRun => {
  const isRunning = row.state === 'running'
  const began = row.startedAt ?? row.handedAt
  return {
    number: row.id,
    step: row.stepPath,
    agent: isRunning ? row.agent : null,
    started: isRunning && began ? Math.floor(seconds(began)) : null,
    ready: Math.floor(seconds(row.readyAt ?? row.createdAt)),
    startAfter: row.state === 'waiting' && row.startAfter ? Math.ceil(seconds(row.startAfter)) : null,
    begun: row.attempts,
    failed: isRunning ? Math.max(0, row.attempts - 1) : row.attempts,
    held: row.held,
  }
}

function byPath(
  stood: readonly StepRow[],
  paths: readonly string[],
  of: (row: StepRow) => StepResult,
): Record<string, StepResult> {
  return Object.fromEntries(stood.flatMap((row) => (paths[row.step] === undefined ? [] : [[paths[row.step], of(row)]])))
}

/** Of a plan that cannot be laid out (it takes secrets that are not read here) the steps stand as if none had begun. */
function pathsOf({ planId, inputs }: OpenRow, source: Parameters<typeof layOut>[1]): string[] {
  try {
    return layOut(planId as number, source, inputs, null).steps.map(({ path }) => path)
  } catch {
    return []
  }
}
