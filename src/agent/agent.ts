import { mkdirSync, readdirSync } from 'node:fs'
import { loadavg } from 'node:os'
import { join } from 'node:path'
import { AgentLink, type Host } from './link'
import type { AgentFacts, Lease } from './protocol'
import { unstorableNote } from './outbox'
import { Supervisors } from './supervisors'
import { Try, type TryHooks } from './try'

export interface AgentOptions {
  readonly gateway: string
  readonly credential: string
  readonly stateDir: string
  readonly facts: AgentFacts
  /** The supervisor's program. */
  readonly supervisor: string
  readonly log: (message: string) => void
}

/** The agent of a real machine: takes leases, carries them out as processes, reports. */
export class Agent {
  private readonly tries = new Map<number, Try>()
  private readonly link: AgentLink
  private readonly triesDir: string
  private draining = false
  private readonly supervisors: Supervisors

  constructor(private readonly options: AgentOptions) {
    this.triesDir = join(options.stateDir, 'tries')
    this.supervisors = new Supervisors(options.supervisor)
    const host: Host = {
      facts: options.facts,
      held: () => [...this.tries.values()].map(({ lease }) => ({ attempt: lease.attempt, token: lease.token })),
      used: () => this.working(),
      load: () => loadavg()[0] ?? null,
      onLease: (lease) => this.take(lease),
      onStop: (attempt) => this.tries.get(attempt)?.stop(),
      onStale: (attempt) => {
        this.tries.get(attempt)?.abandon()
        this.remove(attempt)
      },
      onSettings: ({ draining }) => {
        if (draining !== this.draining)
          options.log(draining ? 'draining: finishes what it has, takes nothing new' : 'takes work')
        this.draining = draining
      },
      onAcked: (attempt) => {
        const one = this.tries.get(attempt)
        if (!one?.hasEnded || !one.outbox.isEmpty) return
        one.forget()
        this.remove(attempt)
      },
      onUnstorable: (attempt, seq, why) =>
        this.tries.get(attempt)?.outbox.replace(seq, unstorableNote(this.link.now(), why)),
      log: options.log,
    }
    this.link = new AgentLink(options.gateway, options.credential, host)
  }

  start(): void {
    mkdirSync(this.triesDir, { recursive: true, mode: 0o700 })
    for (const name of readdirSync(this.triesDir)) {
      const found = Try.resume(join(this.triesDir, name), this.hooks())
      if (found) this.add(found)
    }
    if (this.tries.size > 0) this.options.log(`takes up ${this.tries.size} run(s) from before`)
    this.link.start()
    for (const one of this.tries.values()) one.begin()
  }

  /** Commands go on; the next agent process takes them up. */
  stop(): void {
    this.link.stop()
    for (const one of this.tries.values()) one.leave()
    this.supervisors.stop()
  }

  private take(lease: Lease): void {
    const known = this.tries.get(lease.attempt)
    if (known) return
    const fresh = Try.take(lease, join(this.triesDir, String(lease.attempt)), this.hooks())
    this.add(fresh)
    this.options.log(`run #${lease.run}, try ${lease.try}: ${lease.title}`)
    // After the answer that the lease is kept.
    setImmediate(() => fresh.begin())
  }

  private hooks(): TryHooks {
    return {
      now: () => Math.round(this.link.now()),
      onReport: () => this.link.sendSoon(),
      supervisors: this.supervisors,
    }
  }

  private add(one: Try): void {
    this.tries.set(one.lease.attempt, one)
    this.link.carry(one.outbox)
  }

  private remove(attempt: number): void {
    this.tries.delete(attempt)
    this.link.drop(attempt)
  }

  private working(): number {
    return [...this.tries.values()].filter((one) => !one.hasEnded).length
  }
}
