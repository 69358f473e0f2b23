import {
  appendFileSync,
  closeSync,
  existsSync,
  fstatSync,
  mkdirSync,
  openSync,
  readFileSync,
  readSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs'
import { join } from 'node:path'
import { accountSecrets, makeMask } from '@/core/run/mask'
import { splitLines } from './lines'
import { Outbox, type Keeper } from './outbox'
import { PatternWatch } from './patterns'
import {
  describeCommand,
  findSupervisor,
  outputsFileOf,
  isAlive,
  signalGroup,
  startCommand,
  startTicksOf,
  type Started,
} from './process'
import { AGENT_VERSION, leaseSchema, type Lease, type OutputLine, type Report } from './protocol'

/** Output is read this often while there is some, and this often when it is quiet. */
const BUSY_POLL_MS = 40
const QUIET_POLL_MS = 250
/** Reading pauses while this much waits to be stored: the files hold the rest. */
const MOST_BACKLOG_BYTES = 1024 * 1024
const READ_BYTES = 256 * 1024
const MOST_OUTPUTS = 50
const MOST_OUTPUTS_BYTES = 256 * 1024

export interface TryHooks {
  /** Milliseconds on the server's clock. */
  readonly now: () => number
  readonly onReport: () => void
}

type Intent = 'stopped' | 'timedOut'

/** One line of the journal: a report, and how far the output files were read when it was made. */
interface Kept {
  readonly report: Report
  readonly read: [number, number]
}

/**
 * One attempt on this machine, with a folder of its own that holds everything needed to take it up again after the agent was killed: the lease,
 * the process, its output, its exit code, and the reports that are not stored yet.
 *
 *   lease.json  process.json  out  err  exit  intent  reports.ndjson  acked
 */
export class Try {
  readonly outbox: Outbox
  private readonly read: [number, number]
  private started: Started | null = null
  private endedReported = false
  private cut = false
  private intent: Intent | null = null
  private killAt = Infinity
  private limitAt = Infinity
  private supervisorSignal: NodeJS.Signals | null = null
  private timer: NodeJS.Timeout | undefined
  private closed = false
  private readonly mask: (text: string) => string
  private readonly secrets: Buffer[]
  private readonly must: PatternWatch | null
  private readonly mustNot: PatternWatch | null

  constructor(
    readonly lease: Lease,
    private readonly dir: string,
    private readonly hooks: TryHooks,
  ) {
    const journal = readJournal(dir)
    this.read = [...(journal.at(-1)?.read ?? [0, 0])] as [number, number]
    const acked = Number(readMaybe(join(dir, 'acked')) ?? 0)
    const { BUGLE_ACCOUNT_USER: user = '', BUGLE_ACCOUNT_SECRET: secret = '' } = lease.environment
    const secretValues = [...lease.secrets.map((name) => lease.inputs[name] ?? ''), ...accountSecrets(user, secret)]
    this.mask = makeMask(secretValues)
    this.secrets = secretValues.filter((value) => value.length >= 4).map((value) => Buffer.from(value))
    this.must = lease.must && new PatternWatch(lease.must)
    this.mustNot = lease.mustNot && new PatternWatch(lease.mustNot)
    for (const { report } of journal) this.recount(report)
    const keeper: Keeper = {
      append: (report) => {
        appendFileSync(join(dir, 'reports.ndjson'), `${JSON.stringify({ report, read: this.read } satisfies Kept)}\n`, {
          mode: 0o600,
        })
      },
      acked: (seq) => {
        if (!this.closed) writeFileSync(join(dir, 'acked'), String(seq))
      },
    }
    this.outbox = new Outbox(
      lease.attempt,
      lease.token,
      keeper,
      hooks.onReport,
      journal.map((k) => k.report),
    )
    if (acked > 0) this.outbox.acked(acked)
  }

  /** Keeps the lease on disk: from here on the attempt is this agent's, whatever happens to the agent. */
  static take(lease: Lease, dir: string, hooks: TryHooks): Try {
    mkdirSync(dir, { recursive: true, mode: 0o700 })
    writeFileSync(join(dir, 'lease.json'), JSON.stringify(lease), { mode: 0o600 })
    return new Try(lease, dir, hooks)
  }

  /** An attempt found on disk after the agent was started again; null if the folder holds none. */
  static resume(dir: string, hooks: TryHooks): Try | null {
    const text = readMaybe(join(dir, 'lease.json'))
    if (text === null) return null
    const lease = leaseSchema.safeParse(parseMaybe(text))
    return lease.success ? new Try(lease.data, dir, hooks) : null
  }

  get hasEnded(): boolean {
    return this.endedReported
  }

  begin(): void {
    const known = parseMaybe(readMaybe(join(this.dir, 'process.json')) ?? '') as (Started & { at: number }) | null
    this.intent = readMaybe(join(this.dir, 'intent')) as Intent | null
    if (this.endedReported) return
    if (known) this.adopt(known)
    else this.startOnce()
    if (!this.endedReported) this.poll()
  }

  /** The agent may have been killed while it started the command: it is never begun twice. The output file is made just before it begins. */
  private startOnce(): void {
    if (!existsSync(join(this.dir, 'out'))) {
      this.start()
      return
    }
    const pid = findSupervisor(this.dir)
    const has = pid !== null || existsSync(join(this.dir, 'exit'))
    if (!has) {
      this.end(
        'orphaned',
        null,
        'The agent was stopped while it started the command; it cannot be told whether the command ran.',
      )
      return
    }
    const { argv, environment, folder, user } = describeCommand(this.lease, this.dir)
    this.adopt({
      pid: pid ?? 0,
      startTicks: pid === null ? 'ended' : startTicksOf(pid),
      argv,
      environment,
      folder,
      user,
      at: this.hooks.now(),
    })
  }

  private start(): void {
    try {
      this.started = startCommand(this.lease, this.dir, (signal) => {
        this.supervisorSignal = signal
        this.poll()
      })
    } catch (error) {
      this.end('couldNotStart', null, (error as Error).message)
      return
    }
    const at = this.hooks.now()
    writeFileSync(join(this.dir, 'process.json'), JSON.stringify({ ...this.started, at }), { mode: 0o600 })
    this.setLimit(at)
    this.reportStart(at)
  }

  private adopt(known: Started & { at: number }): void {
    this.started = known
    this.setLimit(known.at)
    if (this.outbox.seq === 0) this.reportStart(known.at)
    if (this.intent) this.killAt = this.hooks.now()
    this.note('The agent was started again; the command was left undisturbed.')
  }

  private setLimit(startedAt: number): void {
    if (this.lease.timeLimitSeconds !== null) this.limitAt = startedAt + this.lease.timeLimitSeconds * 1000
  }

  private reportStart(at: number): void {
    if (!this.started) return
    const { argv, environment, folder, user, pid } = this.started
    this.outbox.add({
      kind: 'started',
      at,
      ran: { argv: argv.map(this.mask), environment, folder, user, pid, agentVersion: AGENT_VERSION },
    })
  }

  /** A person wants it to end: the polite signal now, the other one after the grace time. Before it began it simply does not begin. */
  stop(intent: Intent): void {
    if (this.endedReported || this.intent) return
    this.intent = intent
    writeFileSync(join(this.dir, 'intent'), intent)
    if (!this.started) {
      this.end(intent, null, null)
      return
    }
    this.killAt = this.hooks.now() + this.lease.graceSeconds * 1000
    this.note(intent === 'stopped' ? 'Asked to stop: sent SIGTERM.' : 'The time limit is over: sent SIGTERM.')
    signalGroup(this.started.pid, 'SIGTERM')
    this.poll()
  }

  /** The lease is somebody else's: what runs is killed at once, and nothing more is said about it. */
  abandon(): void {
    if (this.started && isAlive(this.started.pid, this.started.startTicks)) signalGroup(this.started.pid, 'SIGKILL')
    this.forget()
  }

  /** Everything is stored by the server: the folder goes. */
  forget(): void {
    this.closed = true
    clearTimeout(this.timer)
    rmSync(this.dir, { recursive: true, force: true })
    rmSync(outputsFileOf(this.lease, this.dir), { force: true })
  }

  /** Leaves everything as it is, for the next agent process. */
  leave(): void {
    this.closed = true
    clearTimeout(this.timer)
  }

  private poll(): void {
    clearTimeout(this.timer)
    if (this.closed || this.endedReported || !this.started) return
    const now = this.hooks.now()
    if (now >= this.limitAt && !this.intent) this.stop('timedOut')
    if (now >= this.killAt) {
      this.killAt = Infinity
      if (signalGroup(this.started.pid, 'SIGKILL'))
        this.note('It did not end by itself: sent SIGKILL to the whole group.')
    }
    // The order matters: first see that it is over, then read the rest, so that nothing is missed.
    const exit = readMaybe(join(this.dir, 'exit'))
    const over = exit !== null || !isAlive(this.started.pid, this.started.startTicks)
    const more = this.readOutput(over)
    if (over && !more) this.finish(exit ?? readMaybe(join(this.dir, 'exit')))
    else this.timer = setTimeout(() => this.poll(), over || more ? BUSY_POLL_MS : QUIET_POLL_MS)
  }

  /** Reads what is new; true if there is more than was taken. */
  private readOutput(over: boolean): boolean {
    let more = false
    for (const index of [0, 1] as const) {
      if (this.outbox.backlog > MOST_BACKLOG_BYTES) return true
      const { bytes, rest } = readFrom(join(this.dir, index === 0 ? 'out' : 'err'), this.read[index])
      const atEnd = over && rest === 0
      const { lines, consumed } = splitLines(bytes, atEnd, this.secrets)
      this.read[index] += consumed
      if (lines.length > 0) this.report(lines.map(this.mask), index === 0 ? 'o' : 'e')
      if (rest > 0 || consumed > 0) more = true
    }
    return more
  }

  private report(lines: string[], stream: 'o' | 'e'): void {
    this.must?.look(lines)
    this.mustNot?.look(lines)
    if (this.cut) return
    if (this.read[0] + this.read[1] > this.lease.maxOutputBytes) {
      this.cut = true
      this.note(
        `The output is larger than ${Math.round(this.lease.maxOutputBytes / 1024 / 1024)} MiB; the rest is not kept.`,
      )
      return
    }
    const at = this.hooks.now()
    for (let i = 0; i < lines.length; i += 1000) {
      this.outbox.add({ kind: 'output', lines: lines.slice(i, i + 1000).map((text): OutputLine => [at, stream, text]) })
    }
  }

  private note(text: string): void {
    this.outbox.add({ kind: 'output', lines: [[this.hooks.now(), 'a', text]] })
  }

  private finish(exit: string | null): void {
    if (this.intent) {
      if (this.started && this.killAt !== Infinity) signalGroup(this.started.pid, 'SIGKILL')
      this.end(this.intent, exit === null ? null : Number(exit), null)
      return
    }
    if (exit === null) {
      if (this.supervisorSignal) this.end('exited', null, null, this.supervisorSignal)
      else
        this.end(
          'orphaned',
          null,
          'The process ended without leaving an exit code: something killed it, or the machine was started again.',
        )
      return
    }
    if (this.started && signalGroup(this.started.pid, 0 as unknown as NodeJS.Signals))
      this.note('The command ended and left processes behind; they go on.')
    this.end('exited', Number(exit), readMaybe(join(this.dir, 'fault'))?.slice(0, 2000) ?? null)
  }

  private end(
    how: 'exited' | 'stopped' | 'timedOut' | 'couldNotStart' | 'orphaned',
    exitCode: number | null,
    detail: string | null,
    signal: string | null = null,
  ): void {
    this.endedReported = true
    const trouble = this.must?.trouble ?? this.mustNot?.trouble ?? null
    if (trouble) this.note(trouble)
    const exitFile = join(this.dir, 'exit')
    const at =
      exitCode !== null && existsSync(exitFile)
        ? Math.min(this.hooks.now(), statSync(exitFile).mtimeMs + this.hooks.now() - Date.now())
        : this.hooks.now()
    this.outbox.add({
      kind: 'ended',
      at: Math.round(at),
      outputCut: this.cut,
      outputs: this.outputs(),
      end: {
        how,
        exitCode,
        signal,
        detail: detail === null ? null : this.mask(detail),
        sawMust: this.must && this.must.found !== null,
        sawMustNot: this.mustNot && (this.mustNot.found !== null || this.mustNot.trouble !== null),
        mustNotLine: this.mustNot?.found?.slice(0, 500) ?? this.mustNot?.trouble?.slice(0, 500) ?? null,
      },
    })
  }

  /** Lines `name=value` that the command wrote into the file $BUGLE_OUTPUTS; the last one of a name counts. */
  private outputs(): Record<string, string> {
    const text = readMaybe(outputsFileOf(this.lease, this.dir)) ?? ''
    const out: Record<string, string> = {}
    for (const line of text.slice(0, MOST_OUTPUTS_BYTES).split('\n')) {
      const [, name, value] = /^([a-z][A-Za-z0-9_]{0,39})=(.*)$/.exec(line) ?? []
      if (name === undefined || value === undefined) continue
      if (Object.keys(out).length < MOST_OUTPUTS || name in out) out[name] = this.mask(value).slice(0, 10_000)
    }
    return out
  }

  /** What earlier reports of a resumed attempt say about where it stands. */
  private recount(report: Report): void {
    if (report.body.kind === 'ended') this.endedReported = true
    if (report.body.kind !== 'output') return
    const lines = report.body.lines.filter(([, stream]) => stream !== 'a').map(([, , text]) => text)
    this.must?.look(lines)
    this.mustNot?.look(lines)
  }
}

/** All whole lines of the journal; a last line that a kill cut off is not a report that anybody was told of. */
function readJournal(dir: string): Kept[] {
  const text = readMaybe(join(dir, 'reports.ndjson'))
  if (text === null) return []
  return text
    .split('\n')
    .slice(0, -1)
    .map((line) => JSON.parse(line) as Kept)
}

function readFrom(file: string, offset: number): { bytes: Buffer; rest: number } {
  if (!existsSync(file)) return { bytes: Buffer.alloc(0), rest: 0 }
  const fd = openSync(file, 'r')
  try {
    const size = fstatSync(fd).size
    const bytes = Buffer.alloc(Math.max(0, Math.min(READ_BYTES, size - offset)))
    const got = readSync(fd, bytes, 0, bytes.length, offset)
    return { bytes: bytes.subarray(0, got), rest: Math.max(0, size - offset - got) }
  } finally {
    closeSync(fd)
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
