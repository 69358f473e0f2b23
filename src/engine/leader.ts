import { config } from '@/store/config'
import { decideEvents, nextEventMs, purgeEvents, startBacklogs, stopHarmful } from '@/service/timing/events'
import { condenseMeasures, fireMeasures, sampleMeasures } from '@/service/timing/measures'
import { fireDue, nextDueMs } from '@/service/timing/firing'
import { isLeadFree, LEAD_SECONDS, LeadershipLost, renewLeadership, takeLeadership } from '@/service/runs/leadership'
import { cancelOfRemoved, failWithoutAccount, giveUpLost, releaseDue } from '@/service/runs/open-runs'
import { LeadLock } from '@/store/lead-lock'
import { firstFiringMs } from '@/service/runs/restored'
import { watchDeadlines } from '@/service/runs/deadlines'
import { queueNotices, sendNotices } from '@/service/notices/notice-sending'
import { watchAgents } from '@/service/runs/matters'
import { purgeItems, releaseItems } from '@/service/queues/takes'
import { endSteers } from '@/service/fleet/steer'
import { watchSecrets } from '@/service/fleet/sign-ins'
import { endGrants } from '@/service/fleet/allowance-asks'
import { keepUse } from '@/service/runs/use'
import { purgeTraces } from '@/service/fleet/traces'
import { askAround } from '@/service/runs/asking'
import { watchQueues } from '@/service/queues/watch-queues'
import { watchUnreachable } from '@/service/runs/unreachable'
import { clearBoard, purge, refreshUsual, sampleLoad, SAMPLE_SECONDS } from '@/service/runs/upkeep'
import { log } from './log'
import { paced } from './pace'
import { Placer } from './placer'
import type { Troubles } from './trouble'

/** Runs that ended so lately are looked at each time; what agents told late, of before, once a minute. */
const NOTED_LATELY_MS = 120_000
const NOTED_ALL_MS = 60_000

/** Measured values are looked at so often. */
const MEASURE_MS = 5000

const RENEW_MS = (LEAD_SECONDS * 1000) / 4
/** A loop that is at one and the same piece of work for so long hangs: then the lead is let go. */
const HANGS_MS = 120_000

interface Term {
  readonly epoch: number
  readonly placer: Placer
  readonly since: number
  renewedAt: number
  /** Nothing is started by triggers before, milliseconds since the epoch. */
  firesFrom?: number
}

/**
 * The one engine that places runs, at a time: it holds an advisory lock on a connection of its own, so that its end frees the lock at
 * once; and a lease, renewed by the loop that places, so that one that hangs loses the lead too: another ends its connection, and with it the lock. Against a leader that has lost the lead and
 * does not know it yet, hand-outs carry the epoch of its term.
 */
export class Leader {
  private lock: LeadLock | undefined
  private term: Term | undefined
  private stopped = false
  private lastUsual = new Date(0)
  private lastPurge = 0
  private readonly loops: { stop: () => Promise<void> }[] = []
  private readonly placing: ReturnType<typeof paced>
  private readonly firing: ReturnType<typeof paced>
  private readonly happening: ReturnType<typeof paced>
  private nextFire: NodeJS.Timeout | undefined
  private nextEvent: NodeJS.Timeout | undefined
  private lookedForHarm = 0
  private measuredAt = 0
  private sampledMinute = 0
  /** Since when each loop is at its present piece of work. */
  private readonly busySince = new Map<string, number>()

  constructor(
    private readonly engineId: string,
    private readonly troubles: Troubles,
  ) {
    this.placing = this.loop('place runs', 15, 1000, (term) => this.place(term))
    const looking = this.loop('look after runs', 200, 500, (term) => this.lookAfter(term))
    this.firing = this.loop('start what is due', 20, 1000, (term) => this.fire(term))
    this.happening = this.loop('start what events call for', 100, 2000, (term) => this.lookAtEvents(term))
    const upkeep = this.loop('keep house', 5_000, 20_000, () => this.keepUp())
    const notices = this.loop('send notices', 500, 3_000, () => this.notify())
    const electing = paced(() => this.elect(), { restMs: 250, everyMs: 500, onError: () => undefined })
    this.loops.push(this.placing, looking, this.firing, this.happening, upkeep, notices, electing)
  }

  /** Work of the leader alone; whatever it throws is told, and the work tried again. */
  private loop(
    what: string,
    restMs: number,
    everyMs: number,
    work: (term: Term) => Promise<void>,
  ): ReturnType<typeof paced> {
    return paced(
      async () => {
        const { term } = this
        if (!term || !(await this.stillLeads(term))) return
        this.busySince.set(what, performance.now())
        await work(term)
        await this.troubles.worked(what)
      },
      {
        restMs,
        everyMs,
        onError: (error) => {
          if (error instanceof LeadershipLost) void this.resign()
          else void this.troubles.failed(what, error)
        },
        onRest: () => this.busySince.delete(what),
      },
    )
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

  /** Something happened that a trigger may start for. */
  wakeEvents(): void {
    this.happening.wake()
  }

  /** Triggers changed: another one may be due first. */
  wakeFiring(): void {
    this.firing.wake()
  }

  async stop(): Promise<void> {
    this.stopped = true
    clearTimeout(this.nextFire)
    clearTimeout(this.nextEvent)
    await Promise.all(this.loops.map((loop) => loop.stop()))
    await this.resign()
  }

  private async elect(): Promise<void> {
    if (this.term || this.stopped) return
    const lock = (this.lock ??= await this.connect())
    if (!(await lock.take())) {
      // Whoever holds the lock has not renewed its lease: it hangs.
      const ended = (await isLeadFree()) ? await lock.endHolder() : []
      if (ended.length > 0) log.warn({ pids: ended }, 'the leader hangs; its lead is taken')
      return
    }
    const epoch = await takeLeadership(this.engineId)
    if (this.lock !== lock) return
    this.term = { epoch, placer: new Placer(epoch), since: Date.now(), renewedAt: performance.now() }
    log.info({ epoch }, 'this engine leads')
    this.placing.wake()
    this.firing.wake()
  }

  private connect(): Promise<LeadLock> {
    return LeadLock.connect((lost) => {
      if (this.lock !== lost) return
      this.lock = undefined
      if (this.term) log.warn('leadership lost with its connection')
      this.term = undefined
    })
  }

  private async resign(): Promise<void> {
    const { lock } = this
    this.lock = undefined
    this.term = undefined
    await lock?.end()
  }

  /** The lease is renewed by those who do the work, in time; one that has slept through it does nothing more before the database says that it still leads. */
  private async stillLeads(term: Term): Promise<boolean> {
    const now = performance.now()
    if (now - term.renewedAt < RENEW_MS) return true
    const hangs = [...this.busySince].find(([, since]) => now - since > HANGS_MS)
    if (hangs) {
      log.error({ loop: hangs[0] }, 'a loop hangs; the lead is let go')
      await this.resign()
      return false
    }
    await renewLeadership(term.epoch)
    term.renewedAt = now
    return this.term === term
  }

  private async place(term: Term): Promise<void> {
    if ((await term.placer.placeOnce()) > 0) this.placing.wake()
  }

  /** Starts what is due, and sets the clock for the instant at which something is due next. */
  private async fire(term: Term): Promise<void> {
    // After a long silence the database may be an old one, brought back from a back-up: agents that know better are heard first.
    term.firesFrom ??= await firstFiringMs(term.since)
    if (Date.now() < term.firesFrom) {
      clearTimeout(this.nextFire)
      this.nextFire = setTimeout(() => this.firing.wake(), term.firesFrom - Date.now())
      return
    }
    const { started, more } = await fireDue(term.epoch, Date.now())
    if (started > 0) this.placing.wake()
    clearTimeout(this.nextFire)
    const next = more ? 0 : await nextDueMs()
    if (next === null || this.stopped) return
    // What waits because starts are off is due already: the regular look is often enough for it.
    const inMs = next - Date.now()
    if (more || inMs > 0) this.nextFire = setTimeout(() => this.firing.wake(), Math.min(Math.max(0, inMs), 60_000))
  }

  /** Decides what happened, and looks at what waits in queues; and at once again when something waits for an instant. */
  private async lookAtEvents(term: Term): Promise<void> {
    const { started, more } = await decideEvents(term.epoch, Date.now())
    if (Date.now() - this.measuredAt > MEASURE_MS) {
      this.measuredAt = Date.now()
      if ((await fireMeasures(term.epoch)) > 0) this.happening.wake()
    }
    const called = await startBacklogs(term.epoch, Date.now())
    if (Date.now() - this.lookedForHarm > 1000) {
      this.lookedForHarm = Date.now()
      await stopHarmful(term.epoch)
    }
    if (started + called > 0) this.placing.wake()
    clearTimeout(this.nextEvent)
    if (this.stopped) return
    if (more) return this.happening.wake()
    const next = await nextEventMs()
    const inMs = next === null ? Infinity : next - Date.now()
    if (inMs > 0 && inMs < 60_000) this.nextEvent = setTimeout(() => this.happening.wake(), inMs)
  }

  private async lookAfter(term: Term): Promise<void> {
    const { troubles } = this
    await troubles.watch('release runs whose time has come', async () => {
      if ((await releaseDue()) > 0) this.placing.wake()
    })
    await troubles.watch('let items be taken whose time has come', async () => {
      while (await releaseItems());
    })
    await troubles.watch('ask people at robots', () => askAround(Date.now()))
    await troubles.watch('look after runs whose account is gone', failWithoutAccount)
    await troubles.watch('look after runs of removed jobs', cancelOfRemoved)
    // After an outage of ours the agents must first have had time to call again.
    const settled = Date.now() - term.since > Math.max(config().awaySeconds, 2 * config().heartbeatSeconds) * 1000
    if (!settled) return
    await troubles.watch('give up lost runs', async () => {
      const lost = await giveUpLost('expired', 'Its agent has not called since; the run was given up as lost.')
      if (lost.length > 0) log.warn({ runs: lost }, 'runs lost')
    })
    await troubles.watch('notice agents that are out of reach', watchAgents)
    await troubles.watch('look at deadlines', watchDeadlines)
    await troubles.watch('look after runs whose machines are out of reach', () => watchUnreachable(Date.now()))
  }

  private notedAllMs = 0
  private async notify(): Promise<void> {
    const now = Date.now()
    await this.troubles.watch('note what is to be told', async () => {
      const isTime = now - this.notedAllMs >= NOTED_ALL_MS
      await queueNotices(isTime ? undefined : new Date(now - NOTED_LATELY_MS))
      if (isTime) this.notedAllMs = now
    })
    await sendNotices()
  }

  private async keepUp(): Promise<void> {
    const now = new Date()
    await this.troubles.watch('record how busy agents were', () =>
      sampleLoad(new Date(now.getTime() - 3 * SAMPLE_SECONDS * 1000), now),
    )
    // One value a minute is kept: counting what waits in large queues is not for nothing.
    const minute = Math.floor(now.getTime() / 60_000)
    if (minute !== this.sampledMinute)
      await this.troubles.watch('keep what is measured', async () => {
        await sampleMeasures()
        this.sampledMinute = minute
      })
    await this.troubles.watch('steer back what was steered until now', endSteers)
    await this.troubles.watch('end what was granted until now', endGrants)
    await this.troubles.watch('keep how much was in use', async () => {
      while ((await keepUse(now.getTime())) && this.term && !this.stopped);
    })
    await this.troubles.watch('look at secrets that end', watchSecrets)
    await this.troubles.watch('look at work queues', watchQueues)
    await this.troubles.watch('work out usual lengths', async () => {
      await refreshUsual(this.lastUsual.getTime() === 0 ? new Date(now.getTime() - 86_400_000) : this.lastUsual)
      this.lastUsual = now
    })
    if (now.getTime() - this.lastPurge <= 600_000) return
    this.lastPurge = now.getTime()
    await this.troubles.watch('take finished runs off the board', clearBoard)
    await this.troubles.watch('remove what is kept long enough', async () => {
      await purgeEvents()
      await purgeTraces()
      while ((await condenseMeasures()) && this.term && !this.stopped);
      while ((await purgeItems()) >= 2000 && this.term && !this.stopped) log.info('old items removed')
      while ((await purge()) >= 2000 && this.term && !this.stopped) log.info('old runs removed')
    })
  }
}
