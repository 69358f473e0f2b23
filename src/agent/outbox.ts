import type { Gap, Report, ReportBody } from './protocol'

/** Where an attempt's reports are kept until they are stored by the server. The real agent's is on disk. */
export interface Keeper {
  append(report: Report): void
  /** Everything up to this number is stored: it may be forgotten. */
  acked(seq: number): void
}

/** The numbered reports of one attempt. */
export class Outbox {
  private reports: Report[]
  private lastSeq: number
  private unsentFrom = 0
  private bytes = 0

  constructor(
    readonly attempt: number,
    readonly token: number,
    private readonly keeper: Keeper | null,
    private readonly onReport: () => void,
    kept: readonly Report[] = [],
    lastSeq = 0,
  ) {
    this.reports = [...kept]
    this.lastSeq = kept.at(-1)?.seq ?? lastSeq
    for (const report of kept) this.bytes += sizeOf(report.body)
  }

  add(body: ReportBody): void {
    const report: Report = { attempt: this.attempt, token: this.token, seq: ++this.lastSeq, body }
    this.keeper?.append(report)
    this.reports.push(report)
    this.bytes += sizeOf(body)
    this.onReport()
  }

  /** Bytes of output that wait to be stored: the source of output pauses while this is large. */
  get backlog(): number {
    return this.bytes
  }

  /** Everything that is not stored yet. */
  get pending(): readonly Report[] {
    return this.reports
  }

  get isEmpty(): boolean {
    return this.reports.length === 0
  }

  /** The next reports that were not sent over the present connection. */
  takeUnsent(most: number): Report[] {
    const taken = this.reports.slice(this.unsentFrom, this.unsentFrom + most)
    this.unsentFrom += taken.length
    return taken
  }

  get hasUnsent(): boolean {
    return this.unsentFrom < this.reports.length
  }

  /** A new connection, or the server misses one: everything that is not stored is sent again. */
  rewind(): void {
    this.unsentFrom = 0
  }

  /**
   * Everything from a number on is sent again. `stored`: gives what had been acknowledged and is asked for all the same, because the server has lost it. Returns what is not there any more; null:
   * nothing is missing.
   */
  sendAgain(from: number, stored: () => readonly Report[] = () => []): Gap | null {
    const first = this.reports[0]?.seq ?? Infinity
    // What waits here may be on no disk: it is never replaced.
    const older = first > from ? stored().filter(({ seq }) => seq < first) : []
    for (const { body } of older) this.bytes += sizeOf(body)
    this.reports.unshift(...older)
    this.rewind()
    this.onReport()
    this.lastSeq = Math.max(this.lastSeq, this.reports.at(-1)?.seq ?? 0)
    const begins = this.reports[0]?.seq ?? this.lastSeq + 1
    return begins > from ? { token: this.token, from, to: begins - 1 } : null
  }

  /** Puts something else in the place of a report that the server cannot keep, so that what follows it can be sent. */
  replace(seq: number, body: ReportBody): void {
    const at = this.reports.findIndex((report) => report.seq === seq)
    const old = this.reports[at]
    if (!old) return
    const report = { ...old, body }
    this.bytes += sizeOf(body) - sizeOf(old.body)
    this.keeper?.append(report)
    this.reports[at] = report
    this.unsentFrom = Math.min(this.unsentFrom, at)
    this.onReport()
  }

  acked(seq: number): void {
    const gone = this.reports.findIndex((report) => report.seq > seq)
    const count = gone < 0 ? this.reports.length : gone
    for (const report of this.reports.splice(0, count)) this.bytes -= sizeOf(report.body)
    this.unsentFrom = Math.max(0, this.unsentFrom - count)
    this.keeper?.acked(seq)
  }

  /** The last number made, acknowledged or not. */
  get seq(): number {
    return this.lastSeq
  }
}

/** What is sent in the place of a report that the server cannot keep. */
export const unstorableNote = (atMs: number, why: string): ReportBody => ({
  kind: 'output',
  lines: [[Math.round(atMs), 'a', `A report of this agent could not be kept by the server. ${why}`]],
})

function sizeOf(body: ReportBody): number {
  if (body.kind !== 'output') return 100
  let size = 0
  for (const [, , text] of body.lines) size += text.length + 20
  return size
}
