import { AgentLink, type Host } from '@/agent/link'
import { Outbox } from '@/agent/outbox'
import type { AgentFacts, Lease, OutputLine } from '@/agent/protocol'

/** How a simulated machine acts one attempt out. Times in milliseconds from the start. */
export interface Play {
  readonly durationMs: number
  readonly exitCode: number
  readonly lines: readonly { readonly atMs: number; readonly stream: 'o' | 'e'; readonly text: string }[]
}

interface Acting {
  readonly lease: Lease
  readonly outbox: Outbox
  readonly timers: NodeJS.Timeout[]
  ended: boolean
}

/** One simulated agent: speaks the real protocol over a real connection, and only pretends to run the command. */
export class SimulatedMachine {
  private readonly acting = new Map<number, Acting>()
  private readonly link: AgentLink

  constructor(options: {
    gateway: string
    credential: string
    facts: AgentFacts
    play: (lease: Lease) => Play
    log?: (text: string) => void
  }) {
    const host: Host = {
      facts: options.facts,
      held: () => [...this.acting.values()].map(({ lease }) => ({ attempt: lease.attempt, token: lease.token })),
      used: () => this.acting.size,
      load: () => Math.min(1, this.acting.size / 8),
      onLease: (lease) => this.take(lease, options.play),
      onStop: (attempt) => this.stopAttempt(attempt),
      onStale: (attempt) => this.remove(attempt),
      onSettings: () => undefined,
      onAcked: (attempt) => {
        const one = this.acting.get(attempt)
        if (one?.ended && one.outbox.isEmpty) this.remove(attempt)
      },
      log: options.log ?? (() => undefined),
    }
    this.link = new AgentLink(options.gateway, options.credential, host)
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

  private take(lease: Lease, play: (lease: Lease) => Play): void {
    if (this.acting.has(lease.attempt)) return
    const outbox = new Outbox(lease.attempt, lease.token, null, () => this.link.sendSoon())
    const one: Acting = { lease, outbox, timers: [], ended: false }
    this.acting.set(lease.attempt, one)
    this.link.carry(outbox)
    const { durationMs, exitCode, lines } = play(lease)
    const now = (): number => Math.round(this.link.now())
    outbox.add({
      kind: 'started',
      at: now(),
      ran: {
        argv: lease.action.kind === 'command' ? ['sh', '-c', lease.action.command] : [lease.action.kind],
        environment: { ...lease.environment, ...lease.inputs },
        folder: lease.folder ?? '/srv/marram',
        user: 'svc-marram',
        pid: 1000 + (lease.attempt % 30_000),
        agentVersion: '1.0.0',
      },
    })
    if (durationMs === 0) {
      const at = now()
      if (lines.length > 0) outbox.add({ kind: 'output', lines: lines.map(({ stream, text }): OutputLine => [at, stream, text]) })
      this.finish(one, exitCode, 'exited')
      return
    }
    for (const { atMs, stream, text } of lines) {
      one.timers.push(setTimeout(() => outbox.add({ kind: 'output', lines: [[now(), stream, text]] }), atMs))
    }
    one.timers.push(setTimeout(() => this.finish(one, exitCode, 'exited'), durationMs))
    const limit = lease.timeLimitSeconds
    if (limit !== null && limit * 1000 < durationMs) one.timers.push(setTimeout(() => this.finish(one, null, 'timedOut'), limit * 1000))
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
      end: { exitCode, signal: null, how, detail: null, sawMust: null, sawMustNot: null, mustNotLine: null },
    })
  }

  private remove(attempt: number): void {
    for (const timer of this.acting.get(attempt)?.timers ?? []) clearTimeout(timer)
    this.acting.delete(attempt)
    this.link.drop(attempt)
  }
}
