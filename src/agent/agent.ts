import { mkdirSync, readdirSync, rmSync } from 'node:fs'
import { loadavg } from 'node:os'
import { join } from 'node:path'
import type { Gateways } from './gateways'
import { AgentLink, type Host } from './link'
import { bareEnd, MOST_RECEIPTS, type AgentFacts, type Gap, type Lease, type ReportBody } from './protocol'
import { lookingAtMachine } from './machine'
import { KeptReports } from './kept'
import type { Relay } from './relay'
import { Outbox, unstorableNote } from './outbox'
import { RoomWatch } from './room'
import { trySignIn } from './sign-in'
import { Supervisors } from './supervisors'
import { Attempt, type AttemptHooks } from './attempt'
import { Desks } from './desks'
import { FileWatches } from './watches'

export interface AgentOptions {
  readonly gateways: Gateways
  readonly credential: string
  readonly stateDir: string
  readonly facts: AgentFacts
  /** Where people at attended robots find it. */
  readonly deskDir: string
  /** The supervisor's program. */
  readonly supervisor: string
  /** It passes on what others say. */
  readonly relay?: Relay | undefined
  readonly log: (message: string) => void
}

const TIDY_MS = 600_000

/** The agent of a real machine: takes leases, carries them out as processes, reports. */
export class Agent {
  private readonly attempts = new Map<number, Attempt>()
  private readonly link: AgentLink
  private readonly attemptsDir: string
  private draining = false
  private readonly kept: KeptReports
  private readonly room: RoomWatch
  /** Reports of attempts that are over, told once more. */
  private readonly told = new Map<number, Outbox>()
  private tidying: NodeJS.Timeout | undefined
  private readonly supervisors: Supervisors
  private readonly files: FileWatches
  private readonly desks: Desks

  constructor(private readonly options: AgentOptions) {
    this.attemptsDir = join(options.stateDir, 'tries')
    this.kept = new KeptReports(options.stateDir)
    this.room = new RoomWatch(options.stateDir)
    this.supervisors = new Supervisors(options.supervisor)
    const host: Host = {
      facts: options.facts,
      held: () =>
        [...[...this.attempts.values()].map(({ outbox }) => outbox), ...this.told.values()].map(
          ({ attempt, token }) => ({
            attempt,
            token,
          }),
        ),
      used: () => this.working(),
      load: () => loadavg()[0] ?? null,
      machine: lookingAtMachine(),
      relay: () => options.relay?.load,
      full: () => this.room.look(),
      onLease: (lease) => this.take(lease),
      onStop: (attempt) => this.attempts.get(attempt)?.stop(),
      onStale: (attempt) => {
        this.attempts.get(attempt)?.abandon()
        this.told.delete(attempt)
        this.remove(attempt)
      },
      onSettings: ({ draining }) => {
        if (draining !== this.draining)
          options.log(draining ? 'draining: finishes what it has, takes nothing new' : 'takes work')
        this.draining = draining
      },
      onAcked: (attempt) => {
        const one = this.attempts.get(attempt)
        if (one?.hasEnded && one.outbox.isEmpty) {
          one.complete(this.kept)
          this.remove(attempt)
        }
        if (this.told.get(attempt)?.isEmpty) {
          this.told.delete(attempt)
          this.link.drop(attempt)
        }
      },
      onUnstorable: (attempt, seq, why) =>
        this.attempts.get(attempt)?.outbox.replace(seq, unstorableNote(this.link.now(), why)),
      onResend: (attempt, from) => this.recall(attempt, from),
      kept: () => {
        const { last } = this.kept
        return { kept: this.kept.told(), ...(last ? { last } : {}) }
      },
      onTry: trySignIn,
      onWatch: (watches) => this.files.set(watches),
      onKnown: (files) => this.files.known(files),
      onDesks: (desks) => this.desks.set(desks),
      onWelcome: () => {
        this.files.connected()
        this.desks.connected()
      },
      onAway: () => this.desks.away(),
      receipts: (attempts) =>
        [
          ...attempts.flatMap((attempt) => this.attempts.get(attempt)?.lease.receipt ?? []),
          ...this.kept.receiptsOf(new Set(attempts)),
        ].slice(0, MOST_RECEIPTS),
      log: options.log,
    }
    this.link = new AgentLink(options.gateways, options.credential, host)
    this.files = new FileWatches(join(options.stateDir, 'files.json'), {
      now: () => this.link.now(),
      tell: (found) => this.link.say({ type: 'files', found: [...found] }),
      tellFaults: (faults) => this.link.say({ type: 'watched', faults: [...faults] }),
      log: options.log,
    })
    this.desks = new Desks({
      folder: options.deskDir,
      ask: (question) => this.link.askForDesk(question),
      tellThere: (robots) => this.link.say({ type: 'there', robots: [...robots] }),
      log: options.log,
    })
  }

  start(): void {
    mkdirSync(this.attemptsDir, { recursive: true, mode: 0o700 })
    this.kept.tidy()
    this.tidying = setInterval(() => this.kept.tidy(), TIDY_MS)
    this.tidying.unref()
    for (const name of readdirSync(this.attemptsDir)) {
      const found = Attempt.resume(join(this.attemptsDir, name), this.hooks())
      if (found) this.add(found)
    }
    if (this.attempts.size > 0) this.options.log(`takes up ${this.attempts.size} run(s) from before`)
    this.link.start()
    for (const one of [...this.attempts.values()].sort((a, b) => a.lease.token - b.lease.token)) this.beginInTurn(one)
  }

  /** Commands go on; the next agent process takes them up. */
  stop(): void {
    clearInterval(this.tidying)
    this.files.stop()
    this.desks.stop()
    this.link.stop()
    for (const one of this.attempts.values()) one.leave()
    this.supervisors.stop()
  }

  private take(lease: Lease): void {
    const known = this.attempts.get(lease.attempt)
    if (known?.lease.token === lease.token) return
    // A server whose database was restored may give a number out a second time: under another token it is another attempt.
    if (known) {
      known.abandon()
      this.remove(lease.attempt)
    }
    const kind = kindOf(lease)
    if (!this.options.facts.abilities.includes(kind)) return this.refuse(lease, kind)
    const fresh = this.attemptOf(lease)
    if (!fresh) return
    this.add(fresh)
    this.options.log(`run #${lease.run}, try ${lease.try}: ${lease.title}`)
    this.link.tracing.note('takes', { attempt: lease.attempt, kind, inHand: this.working() })
    // After the answer that the lease is kept.
    setImmediate(() => this.beginInTurn(fresh))
  }

  /** The owner of the machine has the last word: what they do not let it do is given back, whatever the server thinks that it may. */
  private refuse({ attempt, token, run }: Lease, kind: string): void {
    this.options.log(`run #${run} is not carried out: ${kind} is denied on this machine`)
    const why = `The owner of this machine does not let the agent carry out ${kind}.`
    this.tell(attempt, token).add(bareEnd(Math.round(this.link.now()), 'couldNotStart', why))
  }

  /** A robot does one thing at a time, whatever the server may think of an attempt that it gave up: what comes next begins when what it does has ended. */
  private beginInTurn(one: Attempt): void {
    if (!this.isBefore(one)) one.begin()
  }

  private isBefore({ lease }: Attempt): boolean {
    if (lease.robot === null) return false
    const { name } = lease.robot
    return [...this.attempts.values()].some(
      (other) => other.lease.robot?.name === name && other.lease.token < lease.token && !other.hasEnded,
    )
  }

  /** Something has ended or was taken away: what waited for its robot begins. */
  private letNext(): void {
    for (const one of this.attempts.values()) if (one.lease.robot !== null && !one.hasBegun) this.beginInTurn(one)
  }

  /** Kept on disk; null: there is no room for it, and the run is given back with the reason. */
  private attemptOf(lease: Lease): Attempt | null {
    const dir = join(this.attemptsDir, String(lease.attempt))
    try {
      this.kept.saw(lease)
      return Attempt.take(lease, dir, this.hooks())
    } catch (error) {
      this.options.log(`run #${lease.run} cannot be taken: ${(error as Error).message}`)
      rmSync(dir, { recursive: true, force: true })
      this.tell(lease.attempt, lease.token).add(notTaken(Math.round(this.link.now()), error as NodeJS.ErrnoException))
      return null
    }
  }

  /** Answers from the journal of what runs, or of what is over. */
  private recall(attempt: number, from: number): Gap | null {
    const one = this.attempts.get(attempt)
    if (one) return one.recall(from)
    const known = this.told.get(attempt)
    const token = known?.token ?? this.kept.told().find((each) => each.attempt === attempt)?.token
    if (token === undefined) return null
    return (known ?? this.tell(attempt, token)).sendAgain(from, () => this.kept.reportsOf(attempt, token, from))
  }

  /** An outbox of an attempt that has no folder: what it holds is told, and then forgotten. */
  private tell(attempt: number, token: number): Outbox {
    const outbox = new Outbox(attempt, token, null, () => this.link.sendSoon())
    this.told.set(attempt, outbox)
    this.link.carry(outbox)
    return outbox
  }

  private hooks(): AttemptHooks {
    return {
      now: () => Math.round(this.link.now()),
      onReport: () => this.link.sendSoon(),
      ask: (question) => this.link.ask(question),
      onEnded: () => setImmediate(() => this.letNext()),
      onStep: (attempt, what, facts) => this.link.tracing.note(what, { attempt, ...facts }),
      supervisors: this.supervisors,
    }
  }

  private add(one: Attempt): void {
    this.attempts.set(one.lease.attempt, one)
    this.link.carry(one.outbox)
  }

  private remove(attempt: number): void {
    this.attempts.delete(attempt)
    this.link.drop(attempt)
    this.letNext()
  }

  private working(): number {
    return [...this.attempts.values()].filter((one) => !one.hasEnded).length
  }
}

const kindOf = ({ action }: Lease): string => (action.kind === 'act' ? action.of.kind : action.kind)

/** The end of an attempt that could not even be written down. */
function notTaken(at: number, { code, message }: NodeJS.ErrnoException): ReportBody {
  const detail =
    code === 'ENOSPC' || code === 'EDQUOT' ? 'The agent’s disk is full.' : `The agent cannot keep the run: ${message}.`
  return bareEnd(at, 'couldNotStart', detail)
}
