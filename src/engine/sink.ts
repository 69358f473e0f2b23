import type { z } from 'zod'
import { bareEnd, reportBodySchema, type Gap, type Heard, type ReportBody } from '@/agent/protocol'
import { clipText, storableText } from '@/core/schema/plain-text'
import { countRefused } from '@/service/runs/refused'
import { passGap, storeAccepted, storeReports } from '@/service/runs/reports'
import { leaseKey, type IncomingReport } from '@/service/runs/sort-reports'
import { isOutage } from '@/store/outage'
import { limit } from '@/store/limits'
import { FairQueue } from './fair-queue'
import { log } from './log'

/** Reports in one transaction: many agents' reports share one commit. */
const MOST_IN_BATCH = 400
const MOST_BYTES_IN_BATCH = 4 * 1024 * 1024
/** What one agent may put into a batch before the next one has its turn. */
const SHARE_BYTES = 128 * 1024
/** What a report costs beside its bytes. */
const REPORT_BYTES = 1024
const MIB = 1024 * 1024

/** Where answers go. */
export interface Sender {
  readonly agentId: number
  /** The number under which its connection speaks for the agent. */
  readonly connection: number
  acked(attempt: number, seq: number): void
  stale(attempt: number, token: number): void
  resend(attempt: number, from: number): void
  unstorable(attempt: number, seq: number, why: string): void
  /** Another connection speaks for the agent by now. */
  superseded(): void
  /** Whether more may be read from it: no while too much of it waits. */
  hold(held: boolean): void
}

interface Accepted {
  readonly agentId: number
  readonly attempt: number
  readonly token: number
}

/** Why a report is not kept: what its agent and the run's output say, and what only the record does. */
interface Refusal {
  readonly said: string
  readonly noted: string
}

type Work =
  | { readonly kind: 'report'; readonly report: IncomingReport; readonly refused: Refusal | null }
  | { readonly kind: 'accepted'; readonly accepted: Accepted }
type Taken = ReturnType<FairQueue<Sender, Work>['take']>

/** What of a batch is still to be stored: because the database was away, or because it is not its turn. */
interface Undone {
  readonly away: Taken
  readonly later: Taken
}
const DONE: Undone = { away: [], later: [] }

/**
 * Collects what agents of this engine report and stores it batch by batch, taking from each agent in turn. While the database is away the batch is kept and tried again: nothing is
 * acknowledged before it is stored. A batch that the database refuses is divided until the report is found that cannot be stored; in its place the record says why, and all others go on.
 */
export class Sink {
  private readonly queue = new FairQueue<Sender, Work>(SHARE_BYTES)
  private readonly held = new Set<Sender>()
  /** Whose connection has closed while a batch of it was on its way. */
  private readonly gone = new WeakSet<Sender>()
  /** What was asked for again, of which attempt, how often, and until when it is not asked for once more. */
  private readonly asked = new Map<
    string,
    { readonly from: number; readonly times: number; readonly untilMs: number }
  >()
  private flushing: Promise<void> | undefined
  private stopped = false
  private awaySince: number | undefined

  add(sender: Sender, reports: Extract<Heard, { type: 'reports' }>['reports'], bytes: number): void {
    for (const { attempt, token, seq, body } of reports) {
      const read = reportBodySchema.safeParse(body)
      const why = read.success ? '' : `It does not fit the protocol: ${faultOf(read.error)}`
      const refused = read.success ? null : { said: why, noted: why }
      const report: IncomingReport = {
        agentId: sender.agentId,
        connection: sender.connection,
        attempt,
        token,
        seq,
        body: read.success ? read.data : standIn(body, why),
      }
      this.queue.add(sender, { kind: 'report', report, refused }, bytes / reports.length + REPORT_BYTES)
    }
    this.holdBack(sender)
    this.flush()
  }

  /** Reports that the agent has no more, and was asked for: what follows them is taken, with a word in their place. What nobody asked for is passed by. */
  async passOver(sender: Sender, gap: Gap & { readonly attempt: number }): Promise<void> {
    const key = leaseKey({ ...gap, agentId: sender.agentId })
    const asked = this.asked.get(key)
    if (asked?.from !== gap.from || asked.untilMs === Infinity) return
    // Until it is passed over it is asked for no more: reports behind it that are stored meanwhile still meet the gap.
    this.asked.set(key, { ...asked, untilMs: Infinity })
    try {
      if (await passGap(sender.agentId, gap)) this.ask(sender, gap, gap.to + 1)
      else this.asked.delete(key)
    } catch (error) {
      this.asked.delete(key)
      // It is asked about again with the next report.
      log.warn({ err: error, attempt: gap.attempt }, 'a gap could not be passed over')
    }
  }

  /** What is missing is asked for at once, then with growing pauses; when it does not come, what lies before the report that is there (`seq`) is taken for gone. */
  ask(sender: Sender, { attempt, token }: { attempt: number; token: number }, from: number, seq?: number): void {
    const key = leaseKey({ agentId: sender.agentId, attempt, token })
    const before = this.asked.get(key)
    const isSame = before?.from === from
    if (isSame && Date.now() < before.untilMs) return
    const times = isSame ? before.times + 1 : 0
    if (this.asked.size > MOST_ASKED) this.asked.clear()
    this.asked.set(key, { from, times, untilMs: Date.now() + Math.min(60_000, 500 * 2 ** times) })
    if (times < MOST_TIMES_ASKED || seq === undefined) return sender.resend(attempt, from)
    void this.passOver(sender, { attempt, token, from, to: seq - 1 })
  }

  addAccepted(sender: Sender, attempt: number, token: number): void {
    const accepted = { agentId: sender.agentId, attempt, token }
    this.queue.add(sender, { kind: 'accepted', accepted }, REPORT_BYTES)
    this.holdBack(sender)
    this.flush()
  }

  /** Forgets what a closed connection sent: its agent sends it again. */
  drop(sender: Sender): void {
    this.gone.add(sender)
    this.queue.drop(sender)
    this.held.delete(sender)
  }

  async stop(): Promise<void> {
    this.stopped = true
    await this.flushing
  }

  private holdBack(sender: Sender): void {
    const isMuch =
      this.queue.costOf(sender) > limit('agent_waiting_mib') * MIB ||
      this.queue.waitingCost > limit('gateway_waiting_mib') * MIB
    if (!isMuch || this.held.has(sender)) return
    this.held.add(sender)
    sender.hold(true)
  }

  private letGo(): void {
    if (this.queue.waitingCost > (limit('gateway_waiting_mib') * MIB) / 2) return
    for (const sender of this.held) {
      if (this.queue.costOf(sender) > (limit('agent_waiting_mib') * MIB) / 2) continue
      this.held.delete(sender)
      sender.hold(false)
    }
  }

  private flush(): void {
    if (this.flushing || this.stopped) return
    this.flushing = this.run().finally(() => {
      this.flushing = undefined
      if (!this.queue.isEmpty) this.flush()
    })
  }

  private async run(): Promise<void> {
    // One turn of the event loop: what other connections have just sent travels along.
    await new Promise((resolve) => setImmediate(resolve))
    const batch = this.queue.take(MOST_IN_BATCH, MOST_BYTES_IN_BATCH)
    if (batch.length === 0) return
    const { away, later } = await this.store(batch)
    for (const [sender, items] of bySender([...away, ...later]))
      if (!this.gone.has(sender)) this.queue.putBack(sender, items)
    if (away.length > 0) {
      if (this.awaySince === undefined)
        log.warn({ reports: away.length }, 'the database does not answer; reports are kept')
      this.awaySince ??= Date.now()
      await new Promise((resolve) => setTimeout(resolve, 500))
      return
    }
    if (this.awaySince !== undefined) log.info({ seconds: secondsSince(this.awaySince) }, 'reports are stored again')
    this.awaySince = undefined
    this.letGo()
  }

  /**
   * Stores a batch. When that fails for what is in it, each sender's part is stored by itself; and of the one that fails, its first half, and so on down to the one report: the rest of that
   * sender waits for its next turn, so that looking for what is bad keeps nobody else waiting.
   */
  private async store(batch: Taken): Promise<Undone> {
    try {
      const accepted = batch.flatMap(({ value }) => (value.kind === 'accepted' ? [value.accepted] : []))
      if (accepted.length > 0) await storeAccepted(accepted)
      const reports = batch.flatMap(({ sender, value }) => (value.kind === 'report' ? [{ sender, ...value }] : []))
      if (reports.length === 0) return DONE
      this.answer(reports, await storeReports(reports.map(({ report }) => report)))
      await this.told(reports)
      return DONE
    } catch (error) {
      if (isOutage(error)) return { away: batch, later: [] }
      const senders = new Set(batch.map(({ sender }) => sender))
      if (senders.size > 1) {
        const undone = { away: [] as Taken, later: [] as Taken }
        for (const one of senders) {
          const { away, later } = await this.store(batch.filter(({ sender }) => sender === one))
          undone.away.push(...away)
          undone.later.push(...later)
        }
        return undone
      }
      if (batch.length > 1) {
        const half = batch.length >> 1
        const { away, later } = await this.store(batch.slice(0, half))
        return { away, later: [...later, ...batch.slice(half)] }
      }
      return this.refuse(batch, error)
    }
  }

  private answer(
    batch: readonly { readonly sender: Sender; readonly report: IncomingReport }[],
    stored: Awaited<ReturnType<typeof storeReports>>,
  ): void {
    const answered = new Set<string>()
    for (const { sender, report } of batch) {
      const key = leaseKey(report)
      if (answered.has(key)) continue
      answered.add(key)
      const { attempt, token } = report
      if (stored.superseded.has(sender.agentId)) sender.superseded()
      if (stored.stale.has(key)) sender.stale(attempt, token)
      const acked = stored.acks.get(key)
      if (acked !== undefined) sender.acked(attempt, acked)
      const from = stored.resend.get(key)
      if (from !== undefined) this.ask(sender, report, from, report.seq)
    }
  }

  /** The one that cannot be stored: its place is taken by a word about it, once; when even that fails it is passed over. */
  private async refuse(batch: Taken, error: unknown): Promise<Undone> {
    const [item] = batch
    if (!item) return DONE
    const { sender, value } = item
    log.error({ err: error, agent: sender.agentId }, 'something that an agent said could not be stored; it is refused')
    if (value.kind === 'accepted') return DONE
    const { report } = value
    if (value.refused === null) {
      // The database's own words stay on this side: the agent and the run's output say only that.
      const body = standIn(report.body, NOT_STORED)
      const refused = { said: NOT_STORED, noted: `${NOT_STORED} ${clipText(messageOf(error), 200)}` }
      return this.store([{ ...item, value: { kind: 'report', report: { ...report, body }, refused } }])
    }
    sender.unstorable(report.attempt, report.seq, NOT_STORED)
    return DONE
  }

  /** Those of a stored batch that were replaced by a word about them: counted, and their agents told. */
  private async told(
    reports: readonly { sender: Sender; report: IncomingReport; refused: Refusal | null }[],
  ): Promise<void> {
    const bad = reports.filter(({ refused }) => refused !== null)
    for (const { sender, report, refused } of bad) sender.unstorable(report.attempt, report.seq, refused?.said ?? '')
    await countRefused(
      null,
      bad.map(({ report, refused }) => ({ ...report, kind: 'unstorable' as const, why: refused?.noted ?? '' })),
    )
  }
}

/** Asked for so often without an answer, what is missing is taken for gone. */
const MOST_TIMES_ASKED = 5
/** Attempts whose gaps are remembered. */
const MOST_ASKED = 20_000

const NOT_STORED = 'The server could not store it.'

const secondsSince = (atMs: number): number => Math.round((Date.now() - atMs) / 1000)

function bySender(batch: Taken): Map<Sender, { value: Work; cost: number }[]> {
  const lanes = new Map<Sender, { value: Work; cost: number }[]>()
  for (const { sender, value, cost } of batch) {
    const lane = lanes.get(sender)
    if (lane) lane.push({ value, cost })
    else lanes.set(sender, [{ value, cost }])
  }
  return lanes
}

const messageOf = (error: unknown): string =>
  storableText((error instanceof Error ? error.message.split('\n')[0] : undefined) ?? '')

function faultOf(error: z.ZodError): string {
  const [issue] = error.issues
  return issue ? clipText(storableText(`${issue.path.join('.')}: ${issue.message}`), 200) : 'unreadable'
}

/** What stands in the record instead of a report that cannot be kept. An end stays an end: a run must not hang because its last word was unreadable. */
function standIn(body: unknown, why: string): ReportBody {
  const at = Date.now()
  const isEnd = typeof body === 'object' && body !== null && 'kind' in body && body.kind === 'ended'
  if (!isEnd) return { kind: 'output', lines: [[at, 'a', `A report of the agent is not kept. ${why}`]] }
  return bareEnd(at, 'orphaned', `How it ended cannot be told: the agent’s last report could not be kept. ${why}`)
}
