import { advance, type Effect, type RunEvent, type RunLife, type RunState } from '@/core/run/lifecycle'
import { execute, many, type Tx } from '@/store/db'

/** A run locked for a change: its life and what else the changes need. */
export interface LockedRun {
  readonly id: number
  readonly version: number
  readonly jobId: number
  readonly jobVersion: number
  readonly agentId: number | null
  /** What happened started it, not the clock or a person. */
  readonly isOfEvent: boolean
  readonly life: RunLife
}

/**
 * Locks these runs, in the order of their numbers so that two transactions never wait for each other. The row lock of its run guards everything that
 * belongs to it: attempts are changed only under it.
 */
export async function lockRuns(tx: Tx, ids: readonly number[]): Promise<Map<number, LockedRun>> {
  const rows = await many<{
    id: number
    version: number
    jobId: number
    jobVersion: number
    agentId: number | null
    isOfEvent: boolean
    state: RunState
    attempts: number
    maxAttempts: number
    retryDelayMs: number
    startAfter: Date | null
    held: boolean
    stopAskedBy: string | null
  }>(
    tx,
    `SELECT id, version, job_id AS "jobId", job_version AS "jobVersion", agent_id AS "agentId", event_id IS NOT NULL AS "isOfEvent", state, attempts,
            max_attempts AS "maxAttempts", retry_delay_ms AS "retryDelayMs", start_after AS "startAfter",
            held_by IS NOT NULL AS held, stop_asked_by AS "stopAskedBy"
       FROM runs WHERE id = ANY($1) ORDER BY id FOR NO KEY UPDATE`,
    [ids],
  )
  return new Map(
    rows.map(({ id, version, jobId, jobVersion, agentId, isOfEvent, startAfter, ...life }) => [
      id,
      {
        id,
        version,
        jobId,
        jobVersion,
        agentId,
        isOfEvent,
        life: { ...life, startAfterMs: startAfter?.getTime() ?? null },
      },
    ]),
  )
}

/** A run's next state, as it is written, and what follows from it. */
export interface LifeChange {
  readonly run: LockedRun
  readonly life: RunLife
  readonly atMs: number
  readonly reason: string | null
  readonly agentId: number | null
  /** Which robot on that agent's machine has it; null: none has, or it is not handed out by this. */
  readonly robotId: number | null
  readonly exitCode: number | null
  readonly effects: readonly Effect[]
  /** It is over. */
  readonly finished: boolean
  /** People know of its failure already: no matter is opened or counted for it. */
  readonly isKnown: boolean
}

interface More {
  /** Who it is handed out to. */
  readonly agentId?: number
  readonly robotId?: number | null
  readonly exitCode?: number | null
  readonly isKnown?: boolean
}

/** What an event makes of a run; null: a run in its state does not take it. */
export function changeFor(run: LockedRun, event: RunEvent, atMs: number, more: More = {}): LifeChange | null {
  const next = advance(run.life, event)
  if (!next.ok) return null
  return {
    run,
    life: next.life,
    atMs,
    reason: next.reason ?? null,
    agentId: more.agentId ?? null,
    robotId: more.robotId ?? null,
    exitCode: more.exitCode ?? null,
    effects: next.effects,
    finished: next.effects.includes('finish'),
    isKnown: more.isKnown ?? false,
  }
}

/** An event of one run. */
export interface Happening {
  readonly id: number
  readonly event: RunEvent
  readonly more?: More
}

/** What the same kind of event makes of each of these; whatever is not there, or does not take it, is left out. */
export function changesFor<Of>(
  runs: ReadonlyMap<number, LockedRun>,
  all: Iterable<Of>,
  of: (each: Of) => Happening,
  atMs: number,
): LifeChange[] {
  return [...all].flatMap((each) => {
    const { id, event, more } = of(each)
    const run = runs.get(id)
    return (run && changeFor(run, event, atMs, more)) ?? []
  })
}

/** Writes the changes by compare-and-set on the version. Returns the ids of the runs that really changed. */
export async function writeLives(tx: Tx, changes: readonly LifeChange[]): Promise<Set<number>> {
  if (changes.length === 0) return new Set()
  const rows = await many<{ id: number; flowRunId: number | null }>(
    tx,
    `UPDATE runs r SET
        state = u.state, version = r.version + 1, attempts = u.attempts, start_after = u.start_after,
        ready_at = CASE WHEN u.state = 'ready' AND r.state <> 'ready' THEN u.at ELSE r.ready_at END,
        started_at = CASE WHEN u.state = 'running' THEN coalesce(r.started_at, u.at) ELSE r.started_at END,
        ended_at = CASE WHEN u.finished THEN greatest(u.at, r.started_at) ELSE r.ended_at END,
        duration_ms = CASE WHEN u.finished AND r.started_at IS NOT NULL
                           THEN greatest(0, extract(epoch FROM u.at - r.started_at) * 1000)::bigint ELSE r.duration_ms END,
        agent_id = coalesce(u.agent_id, r.agent_id),
        robot_id = CASE WHEN u.agent_id IS NULL THEN r.robot_id ELSE u.robot_id END,
        exit_code = CASE WHEN u.state = 'running' THEN NULL ELSE coalesce(u.exit_code, r.exit_code) END,
        reason = coalesce(u.reason, r.reason),
        held_by = CASE WHEN u.held THEN r.held_by ELSE NULL END,
        stop_asked_by = u.stop_asked_by,
        stop_asked_at = CASE WHEN u.stop_asked_by IS NOT NULL THEN coalesce(r.stop_asked_at, u.at) END,
        cleared_at = CASE WHEN NOT u.finished THEN r.cleared_at
                          WHEN k.board = 'at-once' OR (k.board = 'on-success' AND u.state = 'succeeded') THEN u.at
                          ELSE r.cleared_at END
       FROM unnest($1::bigint[], $2::int[], $3::text[], $4::int[], $5::timestamptz[], $6::timestamptz[], $7::bigint[], $8::int[],
                   $9::text[], $10::bool[], $11::bool[], $12::text[], $13::bigint[])
            AS u(id, version, state, attempts, start_after, at, agent_id, exit_code, reason, held, finished, stop_asked_by, robot_id)
       CROSS JOIN LATERAL (SELECT v.definition->'keeping'->>'board' AS board FROM runs x
                             JOIN job_versions v ON v.job_id = x.job_id AND v.version = x.job_version WHERE x.id = u.id) k
      WHERE r.id = u.id AND r.version = u.version
      RETURNING r.id, r.flow_run_id AS "flowRunId"`,
    [
      changes.map((c) => c.run.id),
      changes.map((c) => c.run.version),
      changes.map((c) => c.life.state),
      changes.map((c) => c.life.attempts),
      changes.map((c) => (c.life.startAfterMs === null ? null : new Date(c.life.startAfterMs))),
      changes.map((c) => new Date(c.atMs)),
      changes.map((c) => c.agentId),
      changes.map((c) => c.exitCode),
      changes.map((c) => c.reason),
      changes.map((c) => c.life.held),
      changes.map((c) => c.finished),
      changes.map((c) => c.life.stopAskedBy),
      changes.map((c) => c.robotId),
    ],
  )
  // What a step's end means for its flow is looked at by whatever engine comes to it first.
  const over = new Set(changes.filter((change) => change.finished).map((change) => change.run.id))
  const flows = new Set(rows.flatMap(({ id, flowRunId }) => (flowRunId !== null && over.has(id) ? [flowRunId] : [])))
  if (flows.size > 0) await wakeFlows(tx, [...flows])
  return new Set(rows.map((row) => row.id))
}

/** Something happened in these flow runs: an engine is to look at them. */
export async function wakeFlows(tx: Tx, flowRunIds: readonly number[]): Promise<void> {
  await execute(tx, 'INSERT INTO flow_wakes (run_id) SELECT unnest($1::bigint[])', [flowRunIds])
}
