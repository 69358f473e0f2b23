import { judge, type Judgement } from '@/core/run/judge'
import type { JobDefinition } from '@/core/work/job'
import type { OutputLine, ReportBody } from '@/agent/protocol'
import { clipText, visible } from '@/core/schema/plain-text'
import { execute, many, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { undecided } from './found'
import { applyLives } from './effects'
import { countRefused } from './refused'
import { changeFor, lockRuns, type LifeChange, type LockedRun } from './run-life'
import {
  clamped,
  leaseKey,
  sortReports,
  type AttemptChange,
  type AttemptRow,
  type IncomingReport,
} from './sort-reports'

export interface StoredReports {
  /** For each lease (`leaseKey`), the number up to which its reports are stored. */
  readonly acks: ReadonlyMap<string, number>
  /** Leases that are not this agent's any more: nothing of them was stored. */
  readonly stale: ReadonlySet<string>
  /** Leases of which a report is missing, and its number. */
  readonly resend: ReadonlyMap<string, number>
  /** Agents that another connection speaks for by now: nothing of what this one said was stored. */
  readonly superseded: ReadonlySet<number>
}

/**
 * Stores a batch of reports, of any agents, in one transaction. A report that is there already is acknowledged again; one whose token is not the
 * attempt's present one, or whose attempt has ended, is refused, counted, and changes nothing, nor does it touch what the attempt's own agent says in the same batch.
 */
export async function storeReports(batch: readonly IncomingReport[]): Promise<StoredReports> {
  return transaction(async (tx) => {
    const superseded = await supersededAgents(tx, batch)
    const valid = batch.filter(({ agentId }) => !superseded.has(agentId))
    const ids = [...new Set(valid.map((report) => report.attempt))]
    const runIds = await many<{ runId: number }>(
      tx,
      'SELECT DISTINCT run_id AS "runId" FROM attempts WHERE id = ANY($1)',
      [ids],
    )
    const runs = await lockRuns(
      tx,
      runIds.map((row) => row.runId),
    )
    const rows = await many<AttemptRow>(
      tx,
      `SELECT a.id, a.run_id AS "runId", a.agent_id AS "agentId", a.token, a.state, a.handed_at AS "handedAt",
              a.report_seq AS "reportSeq", a.output_lines AS "outputLines", a.output_bytes AS "outputBytes",
              a.telling_line AS "tellingLine", v.definition
         FROM attempts a JOIN runs r ON r.id = a.run_id JOIN job_versions v ON v.job_id = r.job_id AND v.version = r.job_version
        WHERE a.id = ANY($1) ORDER BY a.id FOR NO KEY UPDATE OF a`,
      [ids],
    )
    const changes = new Map(
      rows.map((row): [number, AttemptChange] => [
        row.id,
        { row, startedAtMs: null, ran: null, ended: null, lastStream: 'o', outputCut: false },
      ]),
    )
    const known = new Set(rows.map(({ id, token }) => `${id} ${token}`))
    const strange = valid.filter(({ attempt, token }) => !known.has(`${attempt} ${token}`))
    const waiting = new Set((await undecided(tx, strange)).map(leaseKey))
    const { acks, stale, resend, chunks, refused } = sortReports(
      valid.filter((report) => !waiting.has(leaseKey(report))),
      changes,
    )
    const touched = [...changes.values()].filter(({ row }) =>
      acks.has(leaseKey({ agentId: row.agentId, attempt: row.id, token: row.token })),
    )
    await writeChunks(tx, chunks)
    const ends = judgeEnds(touched, runs)
    await writeAttempts(tx, touched, new Map(ends.map((e) => [e.attempt, e])))
    await countRefused(tx, [
      ...refused.map((report) => ({ ...report, kind: 'stale' as const, why: report.body.kind })),
      ...batch
        .filter(({ agentId }) => superseded.get(agentId) === 'replaced')
        .map((report) => ({ ...report, kind: 'superseded' as const, why: report.body.kind })),
    ])
    await applyLives(
      tx,
      ends.map((e) => e.change),
      touched.length > 0 ? { runs: touched.map((change) => change.row.runId) } : {},
    )
    return { acks, stale, resend, superseded: new Set(superseded.keys()) }
  })
}

/** The agents in a batch whose reports came over a connection that another one has replaced, or that has closed meanwhile. */
async function supersededAgents(tx: Tx, batch: readonly IncomingReport[]): Promise<Map<number, 'replaced' | 'closed'>> {
  const claims = new Map<number, number>()
  for (const { agentId, connection } of batch) if (connection !== undefined) claims.set(agentId, connection)
  if (claims.size === 0) return new Map()
  const rows = await many<{ agentId: number; how: 'replaced' | 'closed' }>(
    tx,
    `SELECT u.agent_id AS "agentId", CASE WHEN c.connection IS NULL THEN 'closed' ELSE 'replaced' END AS how FROM unnest($1::bigint[], $2::bigint[]) AS u(agent_id, connection)
      JOIN agent_contacts c ON c.agent_id = u.agent_id WHERE c.connection IS DISTINCT FROM u.connection`,
    [[...claims.keys()], [...claims.values()]],
  )
  return new Map(rows.map(({ agentId, how }) => [agentId, how]))
}

/**
 * Passes over reports that nobody has any more, and says so in the output, so that what follows them can be stored. False: nothing was passed over, because the attempt is not this agent's, is over, or
 * does not miss just these.
 */
export async function passGap(
  agentId: number,
  { attempt, token, from, to }: { attempt: number; token: number; from: number; to: number },
): Promise<boolean> {
  return transaction(async (tx) => {
    const [row] = await many<{ runId: number; lines: number }>(
      tx,
      `SELECT run_id AS "runId", output_lines AS lines FROM attempts
        WHERE id = $1 AND agent_id = $2 AND token = $3 AND report_seq = $4 - 1 AND $5 >= $4 AND state IN ('handed','accepted','running') FOR NO KEY UPDATE`,
      [attempt, agentId, token, from, to],
    )
    if (!row) return false
    const what = from === to ? `Report ${from} is` : `Reports ${from}–${to} are`
    const line: OutputLine = [
      Date.now(),
      'a',
      `${what} gone: neither this server nor the agent has them any more. What they told is missing here.`,
    ]
    await writeChunks(tx, [{ attempt, first: row.lines + 1, lines: [line] }])
    await execute(tx, 'UPDATE attempts SET report_seq = $2, output_lines = output_lines + 1 WHERE id = $1', [
      attempt,
      to,
    ])
    await notify(tx, { runs: [row.runId] })
    return true
  })
}

/** Also an end by a rule that cannot be read is an end. */
function judged({ end }: Extract<ReportBody, { kind: 'ended' }>, definition: JobDefinition): Judgement {
  try {
    return judge(end, definition.success, definition.timeLimitSeconds)
  } catch {
    return { outcome: 'failed', reason: 'What counts as success cannot be read from the stored job.' }
  }
}

interface Ended {
  readonly attempt: number
  readonly change: LifeChange
  readonly state: string
  readonly reason: string
  readonly exitCode: number | null
  readonly atMs: number
}

function judgeEnds(touched: readonly AttemptChange[], runs: Map<number, LockedRun>): Ended[] {
  return touched.flatMap(({ row, ended }) => {
    const run = runs.get(row.runId)
    if (!ended || !run) return []
    const { outcome, reason } = judged(ended, row.definition)
    const atMs = clamped(ended.at, row)
    const change = changeFor(run, { type: 'ended', atMs, outcome, reason }, atMs, { exitCode: ended.end.exitCode })
    if (!change) return []
    const state = outcome === 'stopped' ? 'cancelled' : outcome === 'succeeded' ? 'succeeded' : 'failed'
    // The attempt says who stopped it, as the run does.
    const said = outcome === 'stopped' ? (change.reason ?? reason) : reason
    return [{ attempt: row.id, change, state, reason: said, exitCode: ended.end.exitCode, atMs }]
  })
}

async function writeChunks(
  tx: Tx,
  chunks: readonly { attempt: number; first: number; lines: readonly OutputLine[] }[],
): Promise<void> {
  if (chunks.length === 0) return
  await execute(
    tx,
    `INSERT INTO output_chunks (attempt_id, first_line, line_count, lines)
     SELECT attempt, first, jsonb_array_length(lines), lines
       FROM jsonb_to_recordset($1) AS c(attempt bigint, first int, lines jsonb)`,
    // One document, not an array of them: the text of a flood is escaped once.
    [JSON.stringify(chunks)],
  )
}

async function writeAttempts(
  tx: Tx,
  touched: readonly AttemptChange[],
  ends: ReadonlyMap<number, Ended>,
): Promise<void> {
  if (touched.length === 0) return
  await execute(
    tx,
    `UPDATE attempts a SET
        state = coalesce(u.state, CASE WHEN u.started_at IS NOT NULL THEN 'running' ELSE a.state END),
        started_at = coalesce(a.started_at, u.started_at), what_ran = coalesce(u.what_ran, a.what_ran),
        report_seq = u.report_seq, output_lines = u.output_lines, output_bytes = u.output_bytes, telling_line = u.telling_line,
        ended_at = coalesce(u.ended_at, a.ended_at), reason = coalesce(u.reason, a.reason), exit_code = coalesce(u.exit_code, a.exit_code),
        output_cut = a.output_cut OR u.output_cut, outputs = coalesce(u.outputs, a.outputs)
       FROM unnest($1::bigint[], $2::text[], $3::timestamptz[], $4::jsonb[], $5::int[], $6::int[], $7::bigint[], $8::text[],
                   $9::timestamptz[], $10::text[], $11::int[], $12::bool[], $13::jsonb[])
            AS u(id, state, started_at, what_ran, report_seq, output_lines, output_bytes, telling_line, ended_at, reason, exit_code, output_cut, outputs)
      WHERE a.id = u.id`,
    [
      touched.map((c) => c.row.id),
      touched.map((c) => ends.get(c.row.id)?.state ?? null),
      touched.map((c) => (c.startedAtMs === null ? null : new Date(c.startedAtMs))),
      touched.map((c) => c.ran),
      touched.map((c) => c.row.reportSeq),
      touched.map((c) => c.row.outputLines),
      touched.map((c) => c.row.outputBytes),
      // Made presentable once a batch, not once a line: a flood has a hundred thousand of them.
      touched.map((c) => clipText(visible(c.row.tellingLine), 300)),
      touched.map((c) => (ends.has(c.row.id) ? new Date((ends.get(c.row.id) as Ended).atMs) : null)),
      touched.map((c) => ends.get(c.row.id)?.reason ?? null),
      touched.map((c) => ends.get(c.row.id)?.exitCode ?? null),
      touched.map((c) => c.outputCut || (c.ended?.outputCut ?? false)),
      touched.map((c) => (c.ended ? JSON.stringify(c.ended.outputs) : null)),
    ],
  )
}

/** Agents have these leases on disk: they need not be sent again. */
export async function storeAccepted(
  accepted: readonly { agentId: number; attempt: number; token: number }[],
): Promise<void> {
  await execute(
    null,
    `UPDATE attempts a SET state = 'accepted'
       FROM (SELECT id, agent_id, token FROM attempts WHERE id = ANY($2) AND state = 'handed' ORDER BY id FOR NO KEY UPDATE) l
       JOIN unnest($1::bigint[], $2::bigint[], $3::bigint[]) AS u(agent_id, id, token) ON u.id = l.id AND u.agent_id = l.agent_id AND u.token = l.token
      WHERE a.id = l.id`,
    [accepted.map((a) => a.agentId), accepted.map((a) => a.attempt), accepted.map((a) => a.token)],
  )
}
