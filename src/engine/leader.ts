import pg from 'pg'
import { config } from '@/store/config'
import { fireDue, nextDueMs } from '@/service/firing'
import { giveUpLost, LeadershipLost, releaseDue, takeLeadership } from '@/service/leases'
import { watchDeadlines } from '@/service/deadlines'
import { queueNotices, sendNotices } from '@/service/notices'
import { watchAgents } from '@/service/matters'
import { watchUnreachable } from '@/service/unreachable'
import { clearBoard, purge, refreshUsual, sampleLoad, SAMPLE_SECONDS } from '@/service/upkeep'
import { log } from './log'
import { paced } from './pace'
import { Placer } from './placer'

/** Any number, the same for all engines. */
const LEADER_LOCK = 4_380_002

interface Term {
  readonly epoch: number
  readonly placer: Placer
  readonly since: number
}

/**
 * The one engine that places runs, at a time: it holds an advisory lock on a connection of its own, so that its end frees the lock at
 * once. Against a leader that has lost the lock and does not know it yet, hand-outs carry the epoch of its term.
 */
export class Leader {
  private client: pg.Client | undefined
  private term: Term | undefined
  private stopped = false
  private lastUsual = new Date(0)
  private lastPurge = 0
  private readonly loops: { stop: () => Promise<void> }[] = []
  private readonly placing: ReturnType<typeof paced>
  private readonly minding: ReturnType<typeof paced>
  private readonly firing: ReturnType<typeof paced>
  private nextFire: NodeJS.Timeout | undefined

  constructor(private readonly engineId: string) {
    const told = (what: string) => (error: unknown) => {
      if (error instanceof LeadershipLost) void this.resign()
      else log.error({ err: error }, what)
    }
    this.placing = paced(() => this.place(), {
      restMs: 15,
      everyMs: 1000,
      onError: told('placing failed; tried again'),
    })
    this.minding = paced(() => this.mind(), {
      restMs: 200,
      everyMs: 500,
      onError: told('looking after runs failed; tried again'),
    })
    this.firing = paced(() => this.fire(), {
      restMs: 20,
      everyMs: 1000,
      onError: told('starting what is due failed; tried again'),
    })
    const upkeep = paced(() => this.keepUp(), {
      restMs: 5_000,
      everyMs: 20_000,
      onError: told('upkeep failed; tried again'),
    })
    const notices = paced(() => this.notify(), {
      restMs: 500,
      everyMs: 3_000,
      onError: told('sending notices failed; tried again'),
    })
    const electing = paced(() => this.elect(), { restMs: 250, everyMs: 500, onError: () => undefined })
    this.loops.push(this.placing, this.minding, this.firing, upkeep, notices, electing)
  }

  get leads(): boolean {
    return this.term !== undefined
  }

  wake(): void {
    this.placing.wake()
  }

  /** Jobs changed: switched-off ones must not start, switched-on ones may. */
  lookAgain(): void {
    this.term?.placer.forgetRuns()
    this.placing.wake()
  }

  /** Triggers changed: another one may be due first. */
  wakeFiring(): void {
    this.firing.wake()
  }

  async stop(): Promise<void> {
    this.stopped = true
    clearTimeout(this.nextFire)
    await Promise.all(this.loops.map((loop) => loop.stop()))
    await this.resign()
  }

  private async elect(): Promise<void> {
    if (this.term || this.stopped) return
    if (!this.client) {
      const client = new pg.Client({ connectionString: config().databaseUrl, keepAlive: true })
      const lost = (): void => {
        if (this.client === client) this.client = undefined
        if (this.term) log.warn('leadership lost with its connection')
        this.term = undefined
      }
      client.on('error', lost)
      client.on('end', lost)
      await client.connect()
      this.client = client
    }
    const { rows } = await this.client.query<{ got: boolean }>('SELECT pg_try_advisory_lock($1) AS got', [LEADER_LOCK])
    if (!rows[0]?.got) return
    const epoch = await takeLeadership(this.engineId)
    this.term = { epoch, placer: new Placer(epoch), since: Date.now() }
    log.info({ epoch }, 'this engine leads')
    this.placing.wake()
    this.firing.wake()
  }

  private async resign(): Promise<void> {
    const client = this.client
    this.client = undefined
    this.term = undefined
    await client?.end().catch(() => undefined)
  }

  private async place(): Promise<void> {
    if (!this.term) return
    if ((await this.term.placer.placeOnce()) > 0) this.placing.wake()
  }

  /** Starts what is due, and sets the clock for the instant at which something is due next. */
  private async fire(): Promise<void> {
    if (!this.term) return
    const { started, more } = await fireDue(this.term.epoch, Date.now())
    if (started > 0) this.placing.wake()
    clearTimeout(this.nextFire)
    const next = more ? 0 : await nextDueMs()
    if (next === null || this.stopped) return
    // What waits because starts are off is due already: the regular look is often enough for it.
    const inMs = next - Date.now()
    if (more || inMs > 0) this.nextFire = setTimeout(() => this.firing.wake(), Math.min(Math.max(0, inMs), 60_000))
  }

  private async mind(): Promise<void> {
    if (!this.term) return
    if ((await releaseDue()) > 0) this.placing.wake()
    // After an outage of ours the agents must first have had time to call again.
    const settled = Date.now() - this.term.since > Math.max(config().awaySeconds, 2 * config().heartbeatSeconds) * 1000
    if (!settled) return
    const lost = await giveUpLost('expired', 'Its agent has not called since; the run was given up as lost.')
    if (lost.length > 0) log.warn({ runs: lost }, 'runs lost')
    await watchAgents()
    await watchDeadlines()
    await watchUnreachable(Date.now())
  }

  private async notify(): Promise<void> {
    if (!this.term) return
    await queueNotices()
    await sendNotices()
  }

  private async keepUp(): Promise<void> {
    if (!this.term) return
    const now = new Date()
    await sampleLoad(new Date(now.getTime() - 3 * SAMPLE_SECONDS * 1000), now)
    await refreshUsual(this.lastUsual.getTime() === 0 ? new Date(now.getTime() - 86_400_000) : this.lastUsual)
    this.lastUsual = now
    if (now.getTime() - this.lastPurge > 600_000) {
      await clearBoard()
      while ((await purge()) >= 2000 && this.term && !this.stopped) log.info('old runs removed')
      this.lastPurge = now.getTime()
    }
  }
}
