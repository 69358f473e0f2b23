import { judge } from '@/core/run/judge'
import type { JobDefinition } from '@/core/work/job'
import type { OutputLine, Report, ReportBody } from '@/agent/protocol'
import { execute, many, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { closeMattersOf, openMatters } from './matters'
import { changeFor, lockRuns, writeLives, type LifeChange, type LockedRun } from './run-life'

export interface IncomingReport extends Report {
  readonly agentId: number
}

export interface StoredReports {
  /** For each attempt, the number up to which its reports are stored. */
  readonly acks: ReadonlyMap<number, number>
  /** Attempts whose lease is not this agent's any more: nothing of them was stored. */
  readonly stale: ReadonlySet<number>
  /** Attempts of which a report is missing, and its number. */
  readonly resend: ReadonlyMap<number, number>
}

interface AttemptRow {
  readonly id: number
  readonly runId: number
  readonly agentId: number
  readonly token: number
  readonly state: string
  readonly handedAt: Date
  reportSeq: number
  outputLines: number
  outputBytes: number
  tellingLine: string
  readonly definition: JobDefinition
}

/** What a batch makes of one attempt; written in one go at the end. */
interface AttemptChange {
  readonly row: AttemptRow
  startedAtMs: number | null
  ran: string | null
  ended: Extract<ReportBody, { kind: 'ended' }> | null
  lastStream: string
}

/**
 * Stores a batch of reports, of any agents, in one transaction. A report that is there already is acknowledged again; one whose token is not the
 * attempt's present one, or whose attempt has ended, is refused, recorded, and changes nothing.
 */
export async function storeReports(batch: readonly IncomingReport[]): Promise<StoredReports> {
  return transaction(async (tx) => {
    const ids = [...new Set(batch.map((report) => report.attempt))]
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
      rows.map((row) => [row.id, { row, startedAtMs: null, ran: null, ended: null, lastStream: 'o' } as AttemptChange]),
    )
    const stale = new Set<number>()
    const resend = new Map<number, number>()
    const acks = new Map<number, number>()
    const chunks: { attempt: number; first: number; lines: readonly OutputLine[] }[] = []
    const refused: IncomingReport[] = []

    for (const report of [...batch].sort((a, b) => a.attempt - b.attempt || a.seq - b.seq)) {
      const change = changes.get(report.attempt)
      const row = change?.row
      if (!change || !row || row.agentId !== report.agentId || row.token !== report.token) {
        stale.add(report.attempt)
        refused.push(report)
        continue
      }
      if (report.seq <= row.reportSeq) {
        acks.set(row.id, row.reportSeq)
        continue
      }
      if (!['handed', 'accepted', 'running'].includes(row.state)) {
        stale.add(row.id)
        refused.push(report)
        continue
      }
      if (report.seq > row.reportSeq + 1) {
        if (!resend.has(row.id)) resend.set(row.id, row.reportSeq + 1)
        continue
      }
      row.reportSeq = report.seq
      acks.set(row.id, report.seq)
      take(change, report.body, (first, lines) => chunks.push({ attempt: row.id, first, lines }))
    }

    const touched = [...changes.values()].filter((change) => acks.has(change.row.id) && !stale.has(change.row.id))
    await writeChunks(tx, chunks)
    const ends = judgeEnds(touched, runs)
    const done = await writeLives(
      tx,
      ends.map((e) => e.change),
    )
    await writeAttempts(tx, touched, new Map(ends.map((e) => [e.attempt, e])))
    const finished = ends.map((e) => e.change).filter((c) => c.finished && done.has(c.run.id))
    await openMatters(
      tx,
      finished.filter((c) => c.life.state === 'failed'),
    )
    await closeMattersOf(
      tx,
      finished.filter((c) => c.life.state === 'succeeded').map((c) => c.run.id),
    )
    if (refused.length > 0) await recordStale(tx, refused)
    const changed = [...new Set(touched.map((change) => change.row.runId))]
    if (changed.length > 0) {
      const failed = finished.some((c) => c.life.state === 'failed')
      await notify(tx, {
        runs: changed,
        ...(ends.length > 0 ? { place: true as const } : {}),
        ...(failed ? { matters: true as const } : {}),
      })
    }
    return { acks, stale, resend }
  })
}

function take(
  change: AttemptChange,
  body: ReportBody,
  addChunk: (first: number, lines: readonly OutputLine[]) => void,
): void {
  const { row } = change
  switch (body.kind) {
    case 'started':
      change.startedAtMs = body.at
      change.ran = JSON.stringify(body.ran).replaceAll('\\u0000', '')
      return
    case 'output': {
      addChunk(row.outputLines + 1, body.lines)
      row.outputLines += body.lines.length
      for (const [, stream, text] of body.lines) {
        row.outputBytes += text.length
        // The line that tells most about a failure: the last on standard error, else the last of all.
        if (text.trim() === '' || stream === 'a') continue
        if (stream === 'e' || change.lastStream !== 'e') {
          row.tellingLine = text.slice(0, 300)
          change.lastStream = stream
        }
      }
      return
    }
    case 'ended':
      change.ended = body
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
    const { outcome, reason } = judge(ended.end, row.definition.success, row.definition.timeLimitSeconds)
    // An agent's clock may be off: nothing ends before it was handed out, nor in the future.
    const atMs = Math.min(Date.now(), Math.max(row.handedAt.getTime(), ended.at))
    const change = changeFor(run, { type: 'ended', atMs, outcome, reason }, atMs, { exitCode: ended.end.exitCode })
    if ('ok' in change) return []
    const state = outcome === 'stopped' ? 'cancelled' : outcome === 'succeeded' ? 'succeeded' : 'failed'
    return [{ attempt: row.id, change, state, reason, exitCode: ended.end.exitCode, atMs }]
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
     SELECT * FROM unnest($1::bigint[], $2::int[], $3::int[], $4::jsonb[])`,
    [
      chunks.map((c) => c.attempt),
      chunks.map((c) => c.first),
      chunks.map((c) => c.lines.length),
      // PostgreSQL's jsonb has no NUL; lone surrogates are no text either.
      chunks.map((c) =>
        JSON.stringify(c.lines.map(([at, stream, text]) => [at, stream, text.replaceAll('\0', '␀').toWellFormed()])),
      ),
    ],
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
      touched.map((c) => c.row.tellingLine.replaceAll('\0', '␀').toWellFormed()),
      touched.map((c) => (ends.has(c.row.id) ? new Date((ends.get(c.row.id) as Ended).atMs) : null)),
      touched.map((c) => ends.get(c.row.id)?.reason ?? null),
      touched.map((c) => ends.get(c.row.id)?.exitCode ?? null),
      touched.map((c) => c.ended?.outputCut ?? false),
      touched.map((c) => (c.ended ? JSON.stringify(c.ended.outputs).replaceAll('\\u0000', '') : null)),
    ],
  )
}

async function recordStale(tx: Tx, refused: readonly IncomingReport[]): Promise<void> {
  await execute(
    tx,
    `INSERT INTO stale_reports (agent_id, attempt_id, token, kind) SELECT * FROM unnest($1::bigint[], $2::bigint[], $3::bigint[], $4::text[])`,
    [
      refused.map((r) => r.agentId),
      refused.map((r) => r.attempt),
      refused.map((r) => r.token),
      refused.map((r) => r.body.kind),
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
