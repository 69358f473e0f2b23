import { randomUUID } from 'node:crypto'
import { Gateways } from '@/agent/gateways'
import { AgentLink, type Host } from '@/agent/link'
import { Outbox, unstorableNote } from '@/agent/outbox'
import { madeUpMeasures } from '@/demo/machine-measures'
import type { AgentFacts, DeskState, ItemAnswer, Lease, OutputLine, Report } from '@/agent/protocol'

/** How a simulated machine acts one attempt out. Times in milliseconds from the start. */
export interface Play {
  readonly durationMs: number
  readonly exitCode: number
  readonly lines: readonly { readonly atMs: number; readonly stream: 'o' | 'e'; readonly text: string }[]
}

/** How a simulated machine works a queue off. */
export interface WorkOff {
  readonly queue: string
  readonly most: number
  readonly secondsEach: number
  readonly decide: (item: {
    readonly key: string | null
    readonly data: unknown
  }) => { readonly why: string } | { readonly result: unknown }
}

/** What a simulated machine has in hand, written down when it is ended and taken up when it is started again. */
export interface HandedOver {
  readonly lease: Lease
  readonly startedAtMs: number
  readonly lastSeq: number
  readonly said: number
  readonly reports: readonly Report[]
}

interface Acting {
  readonly lease: Lease
  readonly startedAtMs: number
  said: number
  readonly outbox: Outbox
  readonly timers: NodeJS.Timeout[]
  ended: boolean
}

export interface MachineOptions {
  readonly gateway: string
  readonly credential: string
  readonly facts: AgentFacts
  readonly play: (lease: Lease) => Play
  /** Of work that takes items: how; null: it takes none. */
  readonly worksOff?: (lease: Lease) => WorkOff | null
  /** What comes of a sign-in as this user with this secret; null: it works. */
  readonly signIn?: (user: string, secret: string | null) => string | null
  /** The person at an attended robot of it: hears what is asked, and answers. */
  readonly person?: Person
  readonly log?: (text: string) => void
}

export interface Person {
  readonly robot: string
  readonly hear: (desk: DeskState, answer: (ask: object) => Promise<ItemAnswer>) => void
}

/** One simulated agent: speaks the real protocol over a real connection, and only pretends to run the command. */
export class SimulatedMachine {
  private readonly acting = new Map<number, Acting>()
  private readonly link: AgentLink

  constructor(private readonly options: MachineOptions) {
    const host: Host = {
      facts: options.facts,
      held: () => [...this.acting.values()].map(({ lease }) => ({ attempt: lease.attempt, token: lease.token })),
      used: () => this.acting.size,
      load: () => Math.min(1, this.acting.size / 8),
      machine: () => madeUpMeasures(options.facts.host, this.acting.size, Date.now()),
      onLease: (lease) => this.take(lease),
      onStop: (attempt) => this.stopAttempt(attempt),
      onStale: (attempt) => this.remove(attempt),
      onSettings: () => undefined,
      onAcked: (attempt) => {
        const one = this.acting.get(attempt)
        if (one?.ended && one.outbox.isEmpty) this.remove(attempt)
      },
      onUnstorable: (attempt, seq, why) =>
        this.acting.get(attempt)?.outbox.replace(seq, unstorableNote(this.link.now(), why)),
      // A stand-in keeps nothing that was stored.
      onResend: (attempt, from) => this.acting.get(attempt)?.outbox.sendAgain(from) ?? null,
      onTry: (user, secret) => Promise.resolve(options.signIn?.(user, secret) ?? null),
      onDesks: (desks) => this.askPerson(desks),
      onWelcome: () => {
        if (options.person) this.link.say({ type: 'there', robots: [options.person.robot] })
      },
      receipts: (attempts) => attempts.flatMap((attempt) => this.acting.get(attempt)?.lease.receipt ?? []),
      log: options.log ?? (() => undefined),
    }
    this.link = new AgentLink(new Gateways(options.gateway), options.credential, host)
  }

  start(): void {
    this.link.start()
  }

  stop(): void {
    this.link.stop()
    for (const id of [...this.acting.keys()]) this.remove(id)
  }

  /** Out of reach for so long; what it acts goes on meanwhile. */
  outage(forMs: number): void {
    this.link.cut(forMs)
  }

  /** What is in hand now, for the next process. */
  handOver(): HandedOver[] {
    return [...this.acting.values()].map(({ lease, startedAtMs, said, outbox }) => ({
      lease,
      startedAtMs,
      said,
      lastSeq: outbox.seq,
      reports: outbox.pending,
    }))
  }

  /** Takes up what the process before had in hand; what should have happened meanwhile happens at once. */
  takeOver(items: readonly HandedOver[]): void {
    for (const item of items) {
      const outbox = new Outbox(
        item.lease.attempt,
        item.lease.token,
        null,
        () => this.link.sendSoon(),
        item.reports,
        item.lastSeq,
      )
      const one: Acting = {
        lease: item.lease,
        startedAtMs: item.startedAtMs,
        said: item.said,
        outbox,
        timers: [],
        ended: item.reports.some((r) => r.body.kind === 'ended'),
      }
      this.acting.set(item.lease.attempt, one)
      this.link.carry(outbox)
      if (!one.ended) this.act(one, this.options.play(item.lease))
    }
  }

  private askPerson(desks: readonly DeskState[]): void {
    const { person } = this.options
    const desk = desks.find(({ robot }) => robot === person?.robot)
    if (person && desk)
      person.hear(desk, (ask) => this.link.askForDesk({ robot: person.robot, request: randomUUID(), ask }))
  }

  private take(lease: Lease): void {
    if (this.acting.has(lease.attempt)) return
    const outbox = new Outbox(lease.attempt, lease.token, null, () => this.link.sendSoon())
    const one: Acting = { lease, startedAtMs: Date.now(), said: 0, outbox, timers: [], ended: false }
    this.acting.set(lease.attempt, one)
    this.link.carry(outbox)
    outbox.add({
      kind: 'started',
      at: Math.round(this.link.now()),
      ran: {
        argv: lease.action.kind === 'command' ? ['sh', '-c', lease.action.command] : [lease.action.kind],
        environment: { ...lease.environment, ...lease.inputs },
        folder: lease.folder ?? '/srv/marram',
        user: lease.runAs ?? 'svc-marram',
        pid: 1000 + (lease.attempt % 30_000),
        agentVersion: this.options.facts.version,
        ...(lease.robot ? { robot: { ...lease.robot, account: lease.account ?? '' } } : {}),
      },
    })
    const off = lease.asksForItems ? (this.options.worksOff?.(lease) ?? null) : null
    if (off) void this.workOff(one, off)
    else this.act(one, this.options.play(lease))
  }

  /** Takes items one by one, as a command would by `$BUGLE_AGENT item`, until none is left or it has done enough. */
  private async workOff(one: Acting, { queue, most, secondsEach, decide }: WorkOff): Promise<void> {
    const { attempt, token } = one.lease
    const ask = (question: object): ReturnType<AgentLink['ask']> =>
      this.link.ask({ attempt, token, request: randomUUID(), ask: question })
    const say = (text: string): void =>
      one.outbox.add({ kind: 'output', lines: [[Math.round(this.link.now()), 'o', text]] })
    try {
      for (let n = 0; n < most && !one.ended; n++) {
        const taken = await ask({ do: 'take', queue })
        const got = taken.ok ? (taken.answer as { item: number | null; key: string | null; data: unknown }) : null
        if (!got || got.item === null) {
          say(taken.ok ? `nothing waits in ${queue}` : taken.why)
          break
        }
        say(`${got.key ?? got.item}: taken`)
        await new Promise<void>((resolve) => one.timers.push(setTimeout(resolve, secondsEach * 1000)))
        if (one.ended) return
        const end = decide(got)
        await ask({
          item: got.item,
          ...('why' in end ? { do: 'reject', why: end.why } : { do: 'done', result: end.result }),
        })
        say(`${got.key ?? got.item}: ${'why' in end ? `rejected, ${end.why}` : 'done'}`)
      }
      this.finish(one, 0, 'exited')
    } catch {
      // The machine is switched off: what it has in hand the next one takes up.
    }
  }

  private act(one: Acting, { durationMs, exitCode, lines }: Play): void {
    const now = (): number => Math.round(this.link.now())
    if (durationMs === 0) {
      const at = now()
      if (lines.length > 0)
        one.outbox.add({ kind: 'output', lines: lines.map(({ stream, text }): OutputLine => [at, stream, text]) })
      this.finish(one, exitCode, 'exited')
      return
    }
    const after = (ms: number): number => Math.max(0, one.startedAtMs + ms - Date.now())
    for (const { atMs, stream, text } of lines.slice(one.said)) {
      one.timers.push(
        setTimeout(() => {
          one.said++
          one.outbox.add({ kind: 'output', lines: [[now(), stream, text]] })
        }, after(atMs)),
      )
    }
    one.timers.push(setTimeout(() => this.finish(one, exitCode, 'exited'), after(durationMs)))
    const limit = one.lease.timeLimitSeconds
    if (limit !== null && limit * 1000 < durationMs)
      one.timers.push(setTimeout(() => this.finish(one, null, 'timedOut'), after(limit * 1000)))
  }

  private stopAttempt(attempt: number): void {
    const one = this.acting.get(attempt)
    if (one) this.finish(one, null, 'stopped')
  }

  private finish(one: Acting, exitCode: number | null, how: 'exited' | 'stopped' | 'timedOut'): void {
    if (one.ended) return
    one.ended = true
    for (const timer of one.timers) clearTimeout(timer)
    one.outbox.add({
      kind: 'ended',
      at: Math.round(this.link.now()),
      outputCut: false,
      outputs: {},
      end: { exitCode, signal: null, how, detail: null, sawMust: null, sawMustNot: null, mustNotLine: null },
    })
  }

  private remove(attempt: number): void {
    for (const timer of this.acting.get(attempt)?.timers ?? []) clearTimeout(timer)
    this.acting.delete(attempt)
    this.link.drop(attempt)
  }
}
