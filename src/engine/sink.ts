import type { Report } from '@/agent/protocol'
import { storeAccepted, storeReports, type IncomingReport } from '@/service/reports'
import { log } from './log'

/** Reports in one transaction: many agents' reports share one commit. */
const MOST_IN_BATCH = 400
const MOST_BYTES_IN_BATCH = 4 * 1024 * 1024

/** Where answers go. */
export interface Sender {
  readonly agentId: number
  acked(attempt: number, seq: number): void
  stale(attempt: number, token: number): void
  resend(attempt: number, from: number): void
}

interface Waiting {
  readonly sender: Sender
  readonly report: IncomingReport
  readonly bytes: number
}

/**
 * Collects reports of all agents of this engine and stores them batch by batch. While the database is away the batch is kept and tried again: nothing is
 * acknowledged before it is stored.
 */
export class Sink {
  private waiting: Waiting[] = []
  private accepted: { agentId: number; attempt: number; token: number }[] = []
  private flushing: Promise<void> | undefined
  private stopped = false

  add(sender: Sender, reports: readonly Report[], bytes: number): void {
    for (const report of reports) {
      this.waiting.push({ sender, report: { ...report, agentId: sender.agentId }, bytes: bytes / reports.length })
    }
    this.flush()
  }

  addAccepted(agentId: number, attempt: number, token: number): void {
    this.accepted.push({ agentId, attempt, token })
    this.flush()
  }

  /** Forgets what a closed connection sent: its agent sends it again. */
  drop(sender: Sender): void {
    this.waiting = this.waiting.filter((item) => item.sender !== sender)
  }

  async stop(): Promise<void> {
    this.stopped = true
    await this.flushing
  }

  private flush(): void {
    if (this.flushing || this.stopped) return
    this.flushing = this.run().finally(() => {
      this.flushing = undefined
      if (this.waiting.length > 0 || this.accepted.length > 0) this.flush()
    })
  }

  private async run(): Promise<void> {
    // One turn of the event loop: what other connections have just sent travels along.
    await new Promise((resolve) => setImmediate(resolve))
    const accepted = this.accepted.splice(0)
    const batch = this.takeBatch()
    try {
      if (accepted.length > 0) await storeAccepted(accepted)
      if (batch.length > 0) answer(batch, await storeReports(batch.map((item) => item.report)))
    } catch (error) {
      log.error({ err: error, reports: batch.length }, 'reports could not be stored; they are kept and tried again')
      this.waiting = [...batch, ...this.waiting]
      this.accepted = [...accepted, ...this.accepted]
      await new Promise((resolve) => setTimeout(resolve, 500))
    }
  }

  private takeBatch(): Waiting[] {
    let bytes = 0
    let count = 0
    while (count < this.waiting.length && count < MOST_IN_BATCH && bytes < MOST_BYTES_IN_BATCH)
      bytes += this.waiting[count++]?.bytes ?? 0
    return this.waiting.splice(0, count)
  }
}

function answer(batch: readonly Waiting[], stored: Awaited<ReturnType<typeof storeReports>>): void {
  const answered = new Set<string>()
  for (const { sender, report } of batch) {
    const key = `${sender.agentId} ${report.attempt}`
    if (answered.has(key)) continue
    answered.add(key)
    const { attempt, token } = report
    if (stored.stale.has(attempt)) sender.stale(attempt, token)
    const acked = stored.acks.get(attempt)
    if (acked !== undefined) sender.acked(attempt, acked)
    const from = stored.resend.get(attempt)
    if (from !== undefined) sender.resend(attempt, from)
  }
}
