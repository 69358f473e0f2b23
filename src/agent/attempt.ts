import { randomBytes } from 'node:crypto'
import { appendFileSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { readOwned } from '@/act/files'
import { accountSecrets, makeMask, type Mask } from '@/core/run/mask'
import { clipText } from '@/core/schema/plain-text'
import { CaptureReader, type OutputRecord } from './capture'
import { cgroupFolder, removeCgroup, signalAll } from './leftovers'
import { ItemDoor } from './item-door'
import { readJournal, reportsIn, type Kept } from './journal'
import type { KeptReports } from './kept'
import { LineAssembler, type Piece } from './lines'
import { writeOrder, type Described } from './order'
import { Outbox, type Keeper } from './outbox'
import { PatternWatch } from './patterns'
import { isAlive } from './process'
import type { STREAMS } from './protocol'
import {
  AGENT_VERSION,
  leaseSchema,
  type Gap,
  type ItemAnswer,
  type ItemQuestion,
  type Lease,
  type OutputLine,
  type Report,
  type TraceLine,
} from './protocol'
import type { StartOrder } from './start-order'
import { WAKE, type Begun, type ExitFile, type StartedFile } from './supervisor-files'
import type { Supervisors } from './supervisors'
import { writeWhole } from './whole-file'

/** Output is read this often while there is some, and this often when it is quiet. */
const BUSY_POLL_MS = 20
const QUIET_POLL_MS = 250
const TROUBLE_POLL_MS = 1000
/** Reading pauses while this much waits to be stored: the file holds the rest. */
const MOST_BACKLOG_BYTES = 4 * 1024 * 1024
const READ_BYTES = 512 * 1024
const LINES_IN_REPORT = 1000
const BYTES_IN_REPORT = 256 * 1024
const MOST_OUTPUTS = 50
const MOST_OUTPUTS_BYTES = 256 * 1024
const MOST_HANDOVERS = 3
/** From its start to its first sign of life a supervisor has this long. */
const SUPERVISOR_MS = 15_000

export interface AttemptHooks {
  /** Milliseconds on the server's clock. */
  readonly now: () => number
  readonly onReport: () => void
  /** Asks the server for items of this attempt's. */
  readonly ask?: (question: ItemQuestion) => Promise<ItemAnswer>
  /** What it started has ended. */
  readonly onEnded?: () => void
  /** What becomes of it, for whoever wants to know what the agent does. */
  readonly onStep?: (attempt: number, what: string, facts: TraceLine['facts']) => void
  readonly supervisors: Pick<Supervisors, 'begin'>
}

/**
 * One attempt on this machine, with a folder of its own that holds everything needed to take it up again after the agent was killed: the lease,
 * what the supervisor is told and says, the output, and the reports that are not stored yet.
 *
 *   lease.json  start.json  ran.json  begun  started.json  output  exit  stop  reports.ndjson  acked
 */
export class Attempt {
  readonly outbox: Outbox
  private readonly reader: CaptureReader
  private readonly streams: { readonly out: LineAssembler; readonly err: LineAssembler }
  private words: number
  private skipWords: number
  private begun: Begun | null = null
  private started: StartedFile | null = null
  private startedReported = false
  private isBegun = false
  /** Its supervisor is done with it. */
  private isLeft = false
  private door: ItemDoor | undefined
  private endedReported = false
  private cut = false
  private startedAt = 0
  private timer: NodeJS.Timeout | undefined
  private closed = false
  private readonly mask: Mask
  private readonly must: PatternWatch | null
  private readonly mustNot: PatternWatch | null

  constructor(
    readonly lease: Lease,
    private readonly dir: string,
    private readonly hooks: AttemptHooks,
  ) {
    const journal = readJournal(join(dir, 'reports.ndjson'))
    const [out, err, words] = journal.at(-1)?.read ?? [0, 0, 0]
    const secrets = [
      ...lease.secrets.map((name) => lease.inputs[name] ?? ''),
      ...(lease.signIn ? accountSecrets(lease.signIn.user, lease.signIn.secret) : []),
    ]
    this.mask = makeMask(secrets)
    const needles = this.mask.needles.map((needle) => Buffer.from(needle))
    this.streams = { out: new LineAssembler(needles, out), err: new LineAssembler(needles, err) }
    this.words = words
    this.skipWords = words
    this.reader = new CaptureReader(join(dir, 'output'))
    this.must = lease.must && new PatternWatch(lease.must)
    this.mustNot = lease.mustNot && new PatternWatch(lease.mustNot)
    for (const { report } of journal) this.recount(report)
    const acked = Number(readMaybe(join(dir, 'acked')) ?? 0)
    this.outbox = new Outbox(
      lease.attempt,
      lease.token,
      this.keeper(),
      hooks.onReport,
      journal.map((k) => k.report),
    )
    if (acked > 0) this.outbox.acked(acked)
  }

  private keeper(): Keeper {
    return {
      append: (report) => {
        const kept: Kept = { report, read: [this.streams.out.consumed, this.streams.err.consumed, this.words] }
        // A full disk must not end the agent: the report is told all the same, and only an agent that is started again before that has it no more.
        tolerant(() => appendFileSync(this.journal, `${JSON.stringify(kept)}\n`, { mode: 0o600 }))
      },
      acked: (seq) => {
        if (!this.closed) tolerant(() => writeFileSync(join(this.dir, 'acked'), String(seq)))
      },
    }
  }

  /** Keeps the lease on disk: from here on the attempt is this agent's, whatever happens to the agent. */
  static take(lease: Lease, dir: string, hooks: AttemptHooks): Attempt {
    mkdirSync(dir, { recursive: true, mode: 0o700 })
    writeWhole(join(dir, 'lease.json'), JSON.stringify(lease))
    return new Attempt(lease, dir, hooks)
  }

  /** An attempt found on disk after the agent was started again; null if the folder holds none. */
  static resume(dir: string, hooks: AttemptHooks): Attempt | null {
    const text = readMaybe(join(dir, 'lease.json'))
    if (text === null) return null
    const lease = leaseSchema.safeParse(parseMaybe(text))
    return lease.success ? new Attempt(lease.data, dir, hooks) : null
  }

  /** The server asks again for reports from a number on, which it may have stored and lost. Returns what is not there any more. */
  recall(from: number): Gap | null {
    return this.outbox.sendAgain(from, () => reportsIn(this.journal, from))
  }

  private get journal(): string {
    return join(this.dir, 'reports.ndjson')
  }

  /** It was told to begin by this agent process. */
  get hasBegun(): boolean {
    return this.isBegun
  }

  get hasEnded(): boolean {
    return this.endedReported
  }

  begin(): void {
    if (this.endedReported || this.closed) return
    this.isBegun = true
    // An agent that was killed may have left half of it; nothing has begun by that.
    const isNew = this.order === null && this.readBegun() === null
    if (isNew && !this.prepare()) return
    this.openDoor()
    this.startedAt = performance.now()
    // Its first act is to write down that it began, which only one can: so it is never begun twice.
    if (!existsSync(join(this.dir, 'begun'))) this.handOver(MOST_HANDOVERS)
    if (!isNew) this.note('The agent was started again; the command was left undisturbed.')
    this.poll()
  }

  /** From here on its command can ask for items; also one that was begun by an agent before this one. */
  private openDoor(): void {
    const { order, lease, hooks } = this
    const { ask } = hooks
    if (!order?.itemsFolder || !ask || this.door) return
    const { attempt, token } = lease
    this.door = new ItemDoor(order.itemsFolder, order.account, (request, question) =>
      ask({ attempt, token, request, ask: question }),
    )
  }

  /** Writes down what is to be started. False: it cannot be. */
  private prepare(): boolean {
    try {
      const mark = `${this.lease.attempt}-${this.lease.token}-${randomBytes(6).toString('hex')}`
      const { described } = writeOrder(this.lease, this.dir, mark)
      writeWhole(join(this.dir, 'ran.json'), JSON.stringify(described))
      return true
    } catch (error) {
      this.end({ how: 'couldNotStart', detail: (error as Error).message })
      return false
    }
  }

  /** A supervisor that ended before it began is replaced, some times. */
  private handOver(times: number): void {
    this.hooks.supervisors.begin(this.dir, () => {
      const hasBegun = this.closed || existsSync(join(this.dir, 'begun'))
      if (!hasBegun && times > 1) return this.handOver(times - 1)
      this.isLeft = true
      this.poll()
    })
  }

  private get order(): StartOrder | null {
    return parseMaybe(readMaybe(join(this.dir, 'start.json')) ?? '') as StartOrder | null
  }

  /** A person wants it to end: the polite signal now, the other one after the grace time. Before it began it simply does not begin. */
  stop(): void {
    if (this.endedReported || existsSync(join(this.dir, 'stop'))) return
    try {
      writeFileSync(join(this.dir, 'stop'), 'stop', { mode: 0o600 })
    } catch {
      // There is no room to leave word for the supervisor: what runs is ended from here.
      this.endWhatIsLeft()
    }
    if (!existsSync(join(this.dir, 'start.json'))) return this.end({ how: 'stopped', detail: null })
    this.wakeSupervisor()
    this.poll()
  }

  /** It may look after another attempt by now: it is only asked to look, never killed. */
  private wakeSupervisor(): void {
    const begun = this.readBegun()
    if (!begun || !isAlive(begun.pid, begun.startTicks)) return
    try {
      process.kill(begun.pid, WAKE)
    } catch {
      // It has just ended.
    }
  }

  private readBegun(): Begun | null {
    this.begun ??= parseMaybe(readMaybe(join(this.dir, 'begun')) ?? '') as Begun | null
    return this.begun
  }

  /** Nobody looks after it any more: nothing of it goes on unseen. */
  private endWhatIsLeft(): void {
    const { order } = this
    if (!order) return
    const cgroup = cgroupFolder(order.mark)
    signalAll('SIGKILL', order.mark, this.readStarted()?.pid ?? null, cgroup, process.pid)
    removeCgroup(cgroup)
  }

  /** The lease is somebody else's: what runs is killed at once, and nothing more is said about it. */
  abandon(): void {
    const { order } = this
    if (order && !this.endedReported) {
      writeFileSync(join(this.dir, 'stop'), 'kill', { mode: 0o600 })
      this.wakeSupervisor()
      this.endWhatIsLeft()
    }
    this.forget()
  }

  /** Everything is stored by the server: its reports are kept for a while, the folder goes. */
  complete(kept: KeptReports): void {
    kept.keep(this.journal, this.lease)
    this.forget()
  }

  /** Nothing of it is wanted: the folder goes. */
  forget(): void {
    this.closed = true
    clearTimeout(this.timer)
    this.door?.close()
    const { order } = this
    if (order?.itemsFolder) rmSync(order.itemsFolder, { recursive: true, force: true })
    rmSync(this.dir, { recursive: true, force: true })
    if (order?.account) rmSync(dirname(order.outputsFile), { recursive: true, force: true })
  }

  /** Leaves everything as it is, for the next agent process. */
  leave(): void {
    this.closed = true
    this.door?.close()
    clearTimeout(this.timer)
  }

  private readStarted(): StartedFile | null {
    this.started ??= parseMaybe(readMaybe(join(this.dir, 'started.json')) ?? '') as StartedFile | null
    return this.started
  }

  private poll(): void {
    clearTimeout(this.timer)
    if (this.closed || this.endedReported) return
    try {
      this.lookOn()
    } catch {
      // The disk is full, or gone for a moment: nothing of this attempt is lost by looking again.
      this.timer = setTimeout(() => this.poll(), TROUBLE_POLL_MS)
    }
  }

  private lookOn(): void {
    // The order matters: first see that it is over, then read the rest, so that nothing is missed.
    const exit = readExit(this.dir)
    const lost = exit === null && !this.mayStillCome()
    this.reportStart()
    const more = this.readOutput(exit !== null || lost)
    if ((exit !== null || lost) && !more) return this.finish(exit ?? readExit(this.dir))
    const isStarting = !this.startedReported
    this.timer = setTimeout(() => this.poll(), more || isStarting ? BUSY_POLL_MS : QUIET_POLL_MS)
  }

  /** Whether a supervisor is there, or on its way. */
  private mayStillCome(): boolean {
    if (this.isLeft) return false
    const begun = this.readBegun()
    if (begun) return isAlive(begun.pid, begun.startTicks)
    return performance.now() - this.startedAt < SUPERVISOR_MS
  }

  private reportStart(): void {
    const started = this.startedReported ? null : this.readStarted()
    if (!started) return
    this.startedReported = true
    const ran = parseMaybe(readMaybe(join(this.dir, 'ran.json')) ?? '') as Described | null
    const { robot } = this.lease
    this.hooks.onStep?.(this.lease.attempt, 'process began', {
      pid: started.pid,
      afterMs: Math.round(Date.now() - started.at),
    })
    this.outbox.add({
      kind: 'started',
      at: this.onServer(started.at),
      ran: {
        argv: [...(ran?.argv ?? [])],
        environment: { ...ran?.environment },
        folder: ran?.folder ?? '',
        user: started.user,
        pid: started.pid,
        agentVersion: AGENT_VERSION,
        ...(robot ? { robot: { ...robot, account: this.lease.account ?? started.user } } : {}),
      },
    })
  }

  /** An instant of this machine's clock on the server's. */
  private onServer(at: number): number {
    return Math.round(at + this.hooks.now() - Date.now())
  }

  /** Reads what is new; true if there may be more than was taken. */
  private readOutput(over: boolean): boolean {
    if (this.outbox.backlog > MOST_BACKLOG_BYTES) return true
    const records = this.reader.next(READ_BYTES)
    this.report(records.flatMap((record) => this.linesOf(record)))
    if (records.length > 0) return true
    if (over)
      this.report([
        ...this.streams.out.end().map((piece) => this.line(this.hooks.now(), 'o', piece)),
        ...this.streams.err.end().map((piece) => this.line(this.hooks.now(), 'e', piece)),
      ])
    return false
  }

  private linesOf({ kind, at: atHere, bytes }: OutputRecord): OutputLine[] {
    const at = this.onServer(atHere)
    if (kind === 'out' || kind === 'err') {
      const stream = kind === 'out' ? 'o' : 'e'
      return this.streams[kind].feed(bytes).map((piece) => this.line(at, stream, piece))
    }
    if (this.skipWords > 0) {
      this.skipWords--
      if (kind === 'gap') this.cut = true
      return []
    }
    this.words++
    if (kind === 'note') return [[at, 'a', this.mask(bytes.toString('utf8'))]]
    this.cut = true
    const most = Math.round(this.lease.maxOutputBytes / 1024 / 1024)
    return [[at, 'a', `The output is larger than ${most} MiB: ${bytes.toString('utf8')} bytes are left out here.`]]
  }

  private line(at: number, stream: (typeof STREAMS)[number], { text, goesOn }: Piece): OutputLine {
    const masked = this.mask(text)
    return goesOn ? [at, stream, masked, 1] : [at, stream, masked]
  }

  private report(lines: OutputLine[]): void {
    const own = lines.flatMap(([, stream, text]) => (stream === 'a' ? [] : [text]))
    this.must?.look(own)
    this.mustNot?.look(own)
    let some: OutputLine[] = []
    let bytes = 0
    for (const line of lines) {
      some.push(line)
      bytes += line[2].length
      if (some.length < LINES_IN_REPORT && bytes < BYTES_IN_REPORT) continue
      this.outbox.add({ kind: 'output', lines: some })
      some = []
      bytes = 0
    }
    if (some.length > 0) this.outbox.add({ kind: 'output', lines: some })
  }

  private note(text: string): void {
    this.outbox.add({ kind: 'output', lines: [[Math.round(this.hooks.now()), 'a', text]] })
  }

  private finish(exit: ExitFile | null): void {
    if (exit === null) {
      this.endWhatIsLeft()
      return this.end({
        how: 'orphaned',
        detail: this.startedReported
          ? 'The process ended without leaving an exit code: something killed it, or the machine was started again.'
          : 'What looks after a command here ended before it said that this one began: something killed it, the machine was started again, or its folder cannot be written.',
      })
    }
    const fault = readMaybe(join(this.dir, 'fault'))?.slice(0, 2000) ?? null
    this.end({ ...exit, detail: exit.detail ?? fault })
  }

  private end(
    exit: Pick<ExitFile, 'detail'> & Partial<Omit<ExitFile, 'how'>> & { how: ExitFile['how'] | 'orphaned' },
  ): void {
    const trouble = this.must?.trouble ?? this.mustNot?.trouble ?? null
    if (trouble) this.note(trouble)
    this.endedReported = true
    this.hooks.onEnded?.()
    this.hooks.onStep?.(this.lease.attempt, 'process ended', {
      how: exit.how,
      exitCode: exit.exitCode ?? null,
      reports: this.outbox.seq,
    })
    clearTimeout(this.timer)
    const mustNotLine = this.mustNot?.found ?? this.mustNot?.trouble ?? exit.mustNotLine ?? null
    this.outbox.add({
      kind: 'ended',
      at:
        exit.at === undefined
          ? Math.round(this.hooks.now())
          : Math.min(Math.round(this.hooks.now()), this.onServer(exit.at)),
      outputCut: this.cut,
      outputs: this.outputs(),
      end: {
        how: exit.how,
        exitCode: exit.exitCode ?? null,
        signal: exit.signal ?? null,
        detail: exit.detail === null ? null : this.mask(exit.detail),
        sawMust: this.must && (this.must.found !== null || exit.sawMust === true),
        sawMustNot: this.mustNot && mustNotLine !== null,
        mustNotLine: mustNotLine === null ? null : clipText(this.mask(mustNotLine), 500),
      },
    })
  }

  /** Lines `name=value` that the command wrote into the file $BUGLE_OUTPUTS; the last one of a name counts. */
  private outputs(): Record<string, string> {
    const { order } = this
    if (!order) return {}
    const bytes = readOwned(order.outputsFile, order.account?.uid ?? process.geteuid?.(), MOST_OUTPUTS_BYTES)
    const out: Record<string, string> = {}
    for (const line of (bytes ?? Buffer.alloc(0)).toString('utf8').split('\n')) {
      const [, name, value] = /^([a-z][A-Za-z0-9_]{0,39})=(.*)$/.exec(line) ?? []
      if (name === undefined || value === undefined) continue
      if (Object.keys(out).length < MOST_OUTPUTS || name in out) out[name] = clipText(this.mask(value), 10_000)
    }
    return out
  }

  /** What earlier reports of a resumed attempt say about where it stands. */
  private recount({ body }: Report): void {
    if (body.kind === 'started') this.startedReported = true
    if (body.kind === 'ended') this.endedReported = true
    if (body.kind !== 'output') return
    const lines = body.lines.filter(([, stream]) => stream !== 'a').map(([, , text]) => text)
    this.must?.look(lines)
    this.mustNot?.look(lines)
  }
}

/** How it ended; null: it has not, as far as its supervisor has written it down. */
function readExit(dir: string): ExitFile | null {
  const text = readMaybe(join(dir, 'exit'))?.trim() ?? ''
  return text === '' ? null : (parseMaybe(text) as ExitFile | null)
}

function tolerant(write: () => void): void {
  try {
    write()
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException
    if (code !== 'ENOSPC' && code !== 'EDQUOT') throw error
  }
}

function readMaybe(file: string): string | null {
  try {
    return readFileSync(file, 'utf8')
  } catch {
    return null
  }
}

function parseMaybe(text: string): unknown {
  try {
    return JSON.parse(text) as unknown
  } catch {
    return null
  }
}
