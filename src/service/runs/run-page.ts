import { z } from 'zod'
import { isRobotTarget, place, type AgentState, type Reason } from '@/core/dispatch'
import type { ShownEvent } from '@/core/events/facts'
import { repeatByHand, scriptText, type WhatRan } from '@/core/work/command'
import { isFlowDefinition, readDefinition, type FlowDefinition } from '@/core/work/flow'
import { isConnection } from '@/core/work/connections'
import type { JobDefinition } from '@/core/work/job'
import { many, maybeOne, one } from '@/store/db'
import { SHOWN_EVENT } from '@/store/statements/events'
import type { DeadlineState } from './deadlines'
import { levelOn, type HasLevel } from '@/service/base/area-rights'
import { requireSomewhere, seenBy, type Actor } from '@/service/base/actor'
import { fleetForDispatch, heldAt, lockUnits, readyRuns, runningWork } from './dispatch-input'
import { notFound } from '@/service/base/problem'
import { lookOf, type OutputLook } from './output-looks'
import { runRows, type RunRow } from './run-list'

export const outputQuerySchema = z.strictObject({
  attempt: z.coerce.number().int().positive(),
  from: z.coerce.number().int().min(1).default(1),
  count: z.coerce.number().int().min(1).max(2000).default(500),
})
export const searchQuerySchema = z.strictObject({
  attempt: z.coerce.number().int().positive(),
  text: z.string().min(1, 'Write what to look for.').max(200),
})

/** What an agent told of it. */
type WhatRanThere = WhatRan & {
  readonly user: string
  readonly agentVersion: string
  readonly pid: number | null
  readonly robot?: { readonly name: string; readonly account: string; readonly hours: string }
}

export interface AttemptRow {
  readonly id: number
  readonly number: number
  readonly state: string
  readonly agentId: number
  readonly agent: string
  /** The robot on that machine that did it; null: the agent itself. */
  readonly robotId: number | null
  readonly robot: string | null
  readonly handedAt: string
  readonly startedAt: string | null
  readonly endedAt: string | null
  readonly exitCode: number | null
  readonly reason: string
  readonly whatRan: WhatRanThere | null
  readonly byHand: string | null
  readonly outputLines: number
  readonly outputCut: boolean
  readonly outputPurged: boolean
  /** Named values that it handed on. */
  readonly outputs: Readonly<Record<string, string>>
}

interface RunFacts extends RunRow, HasLevel {
  readonly jobVersion: number
  readonly inputs: Record<string, string>
  readonly secretInputs: string[]
  readonly stopAskedBy: string | null
  readonly readyAt: string | null
  /** Open or taken matter about this run. */
  readonly matterId: number | null
  readonly jobIsGone: boolean
  readonly trigger: RunTrigger | null
  readonly dueAt: string | null
  readonly deadlineState: DeadlineState | null
  /** When it ends by usual lengths, while it is open and has a deadline. */
  readonly foreseenAt: string | null
}

/** A run of a job. */
export interface RunFull extends RunFacts {
  readonly isFlow: false
  readonly definition: JobDefinition
  readonly target: JobDefinition['target']
  readonly tries: AttemptRow[]
  /** Looking for its machine, if none can be reached. */
  readonly unreachableSince: string | null
  readonly heldBy: string | null
  /** Who was asked at attended robots, in that order. */
  readonly asks: readonly AskRow[]
  /** Of a success of a job that watches its output. */
  readonly look: OutputLook | null
  /** The flow run whose step it is. */
  readonly flow: { readonly id: number; readonly title: string; readonly path: string } | null
}

/** A question to the person at a robot. */
export interface AskRow {
  readonly id: number
  readonly attempt: number
  readonly robotId: number
  readonly robot: string
  readonly state: 'asked' | 'later' | 'agreed' | 'no' | 'late' | 'over'
  readonly askedAt: string
  /** Until when an answer is waited for; of later: from when on. */
  readonly at: string
  readonly answeredAt: string | null
  readonly answeredBy: string | null
}

/** A run of a flow. Its steps come apart: they change oftener. */
export interface FlowRunFull extends RunFacts {
  readonly isFlow: true
  readonly definition: FlowDefinition
}

/** What made a run. */
interface RunTrigger {
  readonly id: number
  readonly title: string
  readonly isGone: boolean
  readonly version: number
  /** null: started by hand. */
  readonly occurrence: string | null
  /** The local date that the rule wrote. */
  readonly day: string | null
  readonly zone: string
  readonly calendarVersions: Readonly<Record<string, number>>
  /** What happened that started it; null: its time came, or a person did. */
  readonly event: ShownEvent | null
  /** Waits until this earlier run of the trigger has ended. */
  readonly after: number | null
}

/** Whether it is a run of a flow; also false where there is none of that number. */
export async function isFlowRun(actor: Actor, id: number): Promise<boolean> {
  requireSomewhere(actor, 'see')
  const row = await seenBy(actor, () =>
    maybeOne<{ isFlow: boolean }>(null, `SELECT kind = 'flow' AS "isFlow" FROM runs WHERE id = $1`, [id]),
  )
  return row?.isFlow ?? false
}

export async function oneRun(actor: Actor, id: number): Promise<RunFull | FlowRunFull> {
  requireSomewhere(actor, 'see')
  const [row] = await runRows([id])
  if (!row) throw notFound('run', id)
  const { raw, isFlow, target, unreachableSince, heldBy, ...more } = await one<{
    jobVersion: number
    raw: unknown
    isFlow: boolean
    inputs: Record<string, string>
    target: JobDefinition['target']
    stopAskedBy: string | null
    readyAt: string | null
    matterId: number | null
    jobIsGone: boolean
    dueAt: string | null
    deadlineState: DeadlineState | null
    foreseenAt: string | null
    unreachableSince: string | null
    heldBy: string | null
  }>(
    null,
    `SELECT r.job_version AS "jobVersion", v.definition AS raw, j.is_flow AS "isFlow", r.inputs, r.target, r.stop_asked_by AS "stopAskedBy",
            r.ready_at AS "readyAt", r.held_by AS "heldBy",
            (SELECT m.id FROM matters m WHERE m.run_id = r.id AND m.state <> 'closed' LIMIT 1) AS "matterId", j.deleted_at IS NOT NULL AS "jobIsGone",
            r.due_at AS "dueAt", r.deadline_state AS "deadlineState", r.foreseen_at AS "foreseenAt", r.unreachable_since AS "unreachableSince"
       FROM runs r JOIN jobs j ON j.id = r.job_id JOIN job_versions v ON v.job_id = r.job_id AND v.version = r.job_version WHERE r.id = $1`,
    [id],
  )
  const definition = readDefinition(raw, isFlow)
  const facts = {
    ...row,
    ...more,
    trigger: await triggerOf(id),
    may: await levelOn(actor, 'run', id),
    secretInputs: definition.inputs.filter((input) => input.type === 'secret').map((input) => input.name),
  }
  if (isFlowDefinition(definition)) return { ...facts, isFlow: true, definition }
  const tries = await many<Omit<AttemptRow, 'byHand'>>(
    null,
    `SELECT a.id, a.number, a.state, a.agent_id AS "agentId", g.name AS agent, a.robot_id AS "robotId", b.name AS robot, a.handed_at AS "handedAt", a.started_at AS "startedAt",
            a.ended_at AS "endedAt", a.exit_code AS "exitCode", a.reason, a.what_ran AS "whatRan", a.output_lines AS "outputLines",
            a.output_cut AS "outputCut", a.output_purged AS "outputPurged", a.outputs
       FROM attempts a JOIN agents g ON g.id = a.agent_id LEFT JOIN robots b ON b.id = a.robot_id WHERE a.run_id = $1 ORDER BY a.number`,
    [id],
  )
  const asks = isRobotTarget(target)
    ? await many<AskRow>(
        null,
        `SELECT k.id, k.attempt, k.robot_id AS "robotId", b.name AS robot, k.state, k.asked_at AS "askedAt", k.at, k.answered_at AS "answeredAt", k.answered_by AS "answeredBy"
           FROM desk_asks k JOIN robots b ON b.id = k.robot_id WHERE k.run_id = $1 ORDER BY k.id LIMIT 100`,
        [id],
      )
    : []
  const flow = await maybeOne<NonNullable<RunFull['flow']>>(
    null,
    `SELECT f.id, j.title, r.step_path AS path FROM runs r JOIN runs f ON f.id = r.flow_run_id JOIN jobs j ON j.id = f.job_id WHERE r.id = $1`,
    [id],
  )
  return {
    ...facts,
    isFlow: false,
    definition,
    target,
    unreachableSince,
    heldBy,
    asks,
    flow: flow ?? null,
    look: definition.watches ? await lookOf(id) : null,
    tries: tries.map((t) => ({ ...t, byHand: t.whatRan && byHandOf(definition, t.whatRan) })),
  }
}

/** What talks to others is done by the agent itself: there is no command that does the same. */
function byHandOf({ action, inputs }: JobDefinition, ran: WhatRan): string | null {
  if (isConnection(action)) return null
  return repeatByHand(
    ran,
    action.kind === 'script' ? scriptText(action, new Set(inputs.map(({ name }) => name))) : null,
  )
}

async function triggerOf(runId: number): Promise<RunTrigger | null> {
  const row = await maybeOne<RunTrigger>(
    null,
    `SELECT t.id, t.title, t.deleted_at IS NOT NULL AS "isGone", r.trigger_version AS version, r.occurrence, r.occurrence_day::text AS day,
            coalesce(v.definition->>'zone', 'UTC') AS zone, coalesce(r.calendar_versions, '{}') AS "calendarVersions", ${SHOWN_EVENT} AS event,
            CASE WHEN r.after_earlier AND r.state = 'waiting' THEN
              (SELECT b.id FROM runs b WHERE b.trigger_id = r.trigger_id AND b.for_agent_id IS NOT DISTINCT FROM r.for_agent_id AND b.id < r.id
                  AND b.state IN ('waiting','ready','running') ORDER BY b.id DESC LIMIT 1) END AS after
       FROM runs r JOIN triggers t ON t.id = r.trigger_id LEFT JOIN trigger_versions v ON v.trigger_id = t.id AND v.version = r.trigger_version
       LEFT JOIN trigger_events e ON e.id = r.event_id WHERE r.id = $1`,
    [runId],
  )
  return row ?? null
}

/** Dispatch's own reason why a ready run has not started, worked out now; null if it is not ready. */
export async function whyWaiting(actor: Actor, id: number): Promise<Reason | null> {
  requireSomewhere(actor, 'see')
  const run = await maybeOne<{ state: string; kind: string }>(null, 'SELECT state, kind FROM runs WHERE id = $1', [id])
  if (!run) throw notFound('run', id)
  if (run.state !== 'ready' || run.kind === 'flow') return null
  const [ready, fleet, running, locks] = await Promise.all([
    readyRuns(null),
    fleetForDispatch(),
    runningWork(),
    lockUnits(),
  ])
  const held = heldAt(running)
  const agents: AgentState[] = fleet.map((place) => ({ ...place, running: held(place) }))
  return place({ agents, locks }, ready, Date.now()).reasonFor(id) ?? { why: 'soon' }
}

export interface EarlierRun {
  readonly id: number
  readonly state: string
  readonly startedAt: string
  readonly durationMs: number
}

/** Up to 40 earlier runs of the same job that ran, oldest first. */
export async function earlierRuns(actor: Actor, id: number): Promise<EarlierRun[]> {
  requireSomewhere(actor, 'see')
  return many<EarlierRun>(
    null,
    `SELECT * FROM (
       SELECT x.id, x.state, x.started_at AS "startedAt", x.duration_ms AS "durationMs"
         FROM runs r JOIN runs x ON x.job_id = r.job_id AND x.id <= r.id
        WHERE r.id = $1 AND x.duration_ms IS NOT NULL ORDER BY x.id DESC LIMIT 40) t ORDER BY id`,
    [id],
  )
}

export interface OutputRow {
  readonly n: number
  readonly at: number
  readonly stream: 'o' | 'e' | 'a'
  readonly text: string
  /** The line was too long for one piece: it goes on in the next row of its stream. */
  readonly goesOn: boolean
}

interface Chunk {
  readonly first: number
  readonly lines: [number, 'o' | 'e' | 'a', string, 1?][]
}

function rowsOf(chunks: readonly Chunk[]): OutputRow[] {
  return chunks.flatMap(({ first, lines }) =>
    lines.map(([at, stream, text, goesOn], i) => ({ n: first + i, at, stream, text, goesOn: goesOn === 1 })),
  )
}

/** A stretch of an attempt's output, by line numbers. */
export async function readOutput(
  actor: Actor,
  runId: number,
  query: z.output<typeof outputQuerySchema>,
): Promise<{ rows: OutputRow[]; total: number }> {
  requireSomewhere(actor, 'see')
  const attempt = await maybeOne<{ total: number }>(
    null,
    'SELECT output_lines AS total FROM attempts WHERE id = $1 AND run_id = $2',
    [query.attempt, runId],
  )
  if (!attempt) throw notFound('try', query.attempt)
  const to = query.from + query.count
  const chunks = await many<Chunk>(
    null,
    `SELECT first_line AS first, lines FROM output_chunks
      WHERE attempt_id = $1 AND first_line < $3 AND first_line + line_count > $2 ORDER BY first_line`,
    [query.attempt, query.from, to],
  )
  return { rows: rowsOf(chunks).filter((row) => row.n >= query.from && row.n < to), total: attempt.total }
}

const MOST_HITS = 1000

/** Numbers of the lines that hold the text, whatever its case; at most 1,000. */
export async function searchOutput(
  actor: Actor,
  runId: number,
  query: z.output<typeof searchQuerySchema>,
): Promise<{ lines: number[]; more: boolean }> {
  requireSomewhere(actor, 'see')
  const rows = await many<{ n: number }>(
    null,
    `SELECT (c.first_line + l.i - 1)::int AS n FROM attempts a JOIN output_chunks c ON c.attempt_id = a.id
       CROSS JOIN LATERAL jsonb_array_elements(c.lines) WITH ORDINALITY AS l(line, i)
      WHERE a.id = $1 AND a.run_id = $2 AND strpos(lower(l.line->>2), lower($3)) > 0 ORDER BY n LIMIT $4`,
    [query.attempt, runId, query.text, MOST_HITS + 1],
  )
  return { lines: rows.slice(0, MOST_HITS).map((row) => row.n), more: rows.length > MOST_HITS }
}

/** The whole output as text, chunk by chunk, without terminal escapes' interpretation: what the command wrote, lines that were kept in pieces whole again. */
export async function* outputText(actor: Actor, runId: number, attemptId: number): AsyncGenerator<string> {
  requireSomewhere(actor, 'see')
  const open = { o: '', e: '', a: '' }
  const joined = ({ stream, text, goesOn }: OutputRow): string => {
    open[stream] += text
    if (goesOn) return ''
    const line = open[stream]
    open[stream] = ''
    return stream === 'a' ? `[agent] ${line}\n` : `${line}\n`
  }
  for (let from = 1; ;) {
    const { rows, total } = await readOutput(actor, runId, { attempt: attemptId, from, count: 2000 })
    const text = rows.map(joined).join('')
    if (text !== '') yield text
    from += 2000
    if (from > total) break
  }
  // Of a run that goes on, or whose last line was cut off.
  for (const rest of [open.o, open.e, open.a]) if (rest !== '') yield `${rest}\n`
}
