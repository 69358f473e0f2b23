import type { OutputLine, Report, ReportBody } from '@/agent/protocol'
import type { JobDefinition } from '@/core/work/job'
import { limit } from '@/store/limits'

// What of a batch of reports is new, again, out of turn or not its sender's: decided on rows that are read and locked, without the database.

export interface IncomingReport extends Report {
  readonly agentId: number
  /** The connection that it came over, as claimed by the agent's hello; absent: not looked at. */
  readonly connection?: number
}

/** One attempt of one agent under one lease: what a report is answered by. */
export const leaseKey = (of: { readonly agentId: number; readonly attempt: number; readonly token: number }): string =>
  `${of.agentId} ${of.attempt} ${of.token}`

export interface AttemptRow {
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
export interface AttemptChange {
  readonly row: AttemptRow
  startedAtMs: number | null
  ran: string | null
  ended: Extract<ReportBody, { kind: 'ended' }> | null
  lastStream: string
  outputCut: boolean
}

/** What of a batch goes where. */
interface Sorted {
  readonly acks: Map<string, number>
  readonly stale: Set<string>
  readonly resend: Map<string, number>
  readonly chunks: { attempt: number; first: number; lines: readonly OutputLine[] }[]
  readonly refused: IncomingReport[]
}

/** Takes each report in the order of its number, or says why it is not taken. */
export function sortReports(batch: readonly IncomingReport[], changes: ReadonlyMap<number, AttemptChange>): Sorted {
  const sorted: Sorted = { acks: new Map(), stale: new Set(), resend: new Map(), chunks: [], refused: [] }
  for (const report of [...batch].sort((a, b) => a.attempt - b.attempt || a.seq - b.seq)) {
    const key = leaseKey(report)
    const change = changes.get(report.attempt)
    const row = change?.row
    const isOwn = row !== undefined && row.agentId === report.agentId && row.token === report.token
    const isOpen = isOwn && ['handed', 'accepted', 'running'].includes(row.state)
    if (isOwn && report.seq <= row.reportSeq) sorted.acks.set(key, row.reportSeq)
    else if (!change || !row || !isOpen) {
      sorted.stale.add(key)
      sorted.refused.push(report)
    } else if (report.seq > row.reportSeq + 1) {
      if (!sorted.resend.has(key)) sorted.resend.set(key, row.reportSeq + 1)
    } else {
      row.reportSeq = report.seq
      sorted.acks.set(key, report.seq)
      take(change, report.body, (first, lines) => sorted.chunks.push({ attempt: row.id, first, lines }))
    }
  }
  return sorted
}

/** An agent's clock may be off: nothing it tells of happened before the hand-out, nor will it happen. */
export const clamped = (atMs: number, row: AttemptRow, nowMs = Date.now()): number =>
  Math.min(nowMs, Math.max(row.handedAt.getTime(), Math.trunc(atMs)))

function take(
  change: AttemptChange,
  body: ReportBody,
  addChunk: (first: number, lines: readonly OutputLine[]) => void,
): void {
  const { row } = change
  switch (body.kind) {
    case 'started':
      change.startedAtMs = clamped(body.at, row)
      change.ran = JSON.stringify(body.ran)
      return
    case 'output': {
      const lines = withinLimits(change, body.lines)
      if (lines.length === 0) return
      addChunk(row.outputLines + 1, lines)
      row.outputLines += lines.length
      for (const [, stream, text] of lines) {
        row.outputBytes += text.length
        // The line that tells most about a failure: the last on standard error, else the last of all.
        if (text.trim() === '' || stream === 'a') continue
        if (stream === 'e' || change.lastStream !== 'e') {
          row.tellingLine = text
          change.lastStream = stream
        }
      }
      return
    }
    case 'ended':
      change.ended = body
  }
}

/** The agent keeps to the limits of output; the server does so too, whatever the agent does. What the agent cut leaves room for its last lines. */
function withinLimits(change: AttemptChange, lines: readonly OutputLine[]): readonly OutputLine[] {
  const { row } = change
  const mostBytes = (limit('output_mib') + 2) * 1024 * 1024
  const room = Math.max(0, limit('output_lines') + 100_000 - row.outputLines)
  const kept = row.outputBytes >= mostBytes ? [] : lines.slice(0, room)
  if (kept.length < lines.length) change.outputCut = true
  const nowMs = Date.now()
  return kept.map((line): OutputLine => {
    const at = clamped(line[0], row, nowMs)
    return at === line[0] ? line : (line.with(0, at) as unknown as OutputLine)
  })
}
