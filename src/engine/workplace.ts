import { advanceFlows } from '@/service/flows/flow-advance'
import { engineAlive, engineGone } from '@/service/fleet/engines'
import { reportsAreDue } from '@/service/reports/due'
import { looksAreDue } from '@/service/watch/outputs'
import { config } from '@/store/config'
import { listen } from '@/store/listen'
import { Aside } from './aside'
import { Forecaster } from './forecaster'
import { Gateway } from './gateway'
import { Leader } from './leader'
import { paced } from './pace'
import { Sink } from './sink'
import { Troubles } from './trouble'

const REPORTS = { what: 'make reports', file: 'reporter.cjs', everyMs: 10_000, isDue: reportsAreDue }
const OUTPUTS = {
  what: 'look at outputs',
  file: 'outputs.cjs',
  everyMs: 3_000,
  isDue: looksAreDue,
  mostMs: 60_000,
}

export interface Engine {
  readonly id: string
  readonly host: string
  readonly pid: number
  readonly version: string
  readonly gatewayUrl: string
  readonly startedAt: Date
}

/** All that an engine does for one organisation: the one that it is made for. */
export class Workplace {
  readonly gateway: Gateway
  private readonly sink = new Sink()
  private readonly troubles = new Troubles()
  private readonly leader: Leader
  private readonly forecaster: Forecaster
  private readonly asides: readonly Aside[]
  private readonly loops: readonly ReturnType<typeof paced>[]
  private readonly stopListening: () => Promise<void>

  constructor(private readonly engine: Engine) {
    const { heartbeatSeconds, gatewayUrls, makesForecasts } = config()
    const gateway = (this.gateway = new Gateway(engine.id, this.sink, heartbeatSeconds, gatewayUrls))
    const leader = (this.leader = new Leader(engine.id, this.troubles))
    const forecaster = (this.forecaster = new Forecaster(() => leader.leads && makesForecasts, this.troubles))
    const reporter = new Aside(REPORTS, this.troubles)
    const outputs = new Aside(OUTPUTS, this.troubles)
    this.asides = [reporter, outputs]
    const delivering = this.loop('deliver leases', 10, 1000, () => gateway.deliver())
    const alive = this.loop('say that it lives', 1000, 3000, () => engineAlive(engine))
    const beatMs = Math.min(3000, heartbeatSeconds * 500)
    const contacts = this.loop('note whom it heard of', 300, beatMs, () => gateway.keepAlive())
    const applying = this.loop('pass settings on to agents', 500, 5000, () => gateway.applySettings())
    const watching = this.loop('tell agents what to look for', 500, 10_000, () => gateway.sendWatches())
    const asking = this.loop('tell people at robots what they are asked', 300, 10_000, () => gateway.sendDesks())
    const tracing = this.loop('ask agents what they do', 300, 10_000, () => gateway.sendTraces())
    const flows = this.loop('move flows on', 10, 1000, async () => {
      const { more } = await advanceFlows(Date.now())
      if (more) flows.wake()
    })
    this.loops = [delivering, alive, contacts, applying, watching, asking, tracing, flows]
    this.stopListening = listen((change) => {
      if (change.place) {
        leader.wake()
        flows.wake()
      }
      if (change.deliver) flows.wake()
      if (change.timing) leader.wakeFiring()
      if (change.events || change.items || change.timing) leader.wakeEvents()
      if (change.jobs) leader.lookAgain()
      if (change.deliver) delivering.wake()
      if (change.fleet) {
        applying.wake()
        asking.wake()
        tracing.wake()
      }
      if (change.timing) watching.wake()
      if (change.reports) reporter.wake()
      forecaster.heard(change)
    })
  }

  /** Work of every engine, over and over; what it throws is told, and it is tried again. */
  private loop(what: string, restMs: number, everyMs: number, work: () => Promise<void>): ReturnType<typeof paced> {
    return paced(() => this.troubles.watch(what, work), {
      restMs,
      everyMs,
      onError: (error) => void this.troubles.failed(what, error),
    })
  }

  async stop(): Promise<void> {
    await Promise.all([this.forecaster, ...this.asides].map((each) => each.stop()))
    await this.leader.stop()
    this.gateway.stop()
    await Promise.all([...this.loops.map((loop) => loop.stop()), this.sink.stop(), this.stopListening()])
    await engineGone(this.engine.id).catch(() => undefined)
  }
}
