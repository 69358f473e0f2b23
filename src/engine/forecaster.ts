import { join } from 'node:path'
import Piscina from 'piscina'
import { bearsOnForecast } from '@/service/forecast/bears'
import type { Change } from '@/store/listen'
import { organisation } from '@/store/organisation'
import { paced } from './pace'
import type { Troubles } from './trouble'

const WHAT = 'make the forecast'
/** A change is in the forecast within 5 s: this pause, and the making. Shorter ones would take a tenth of a core where something changes all the time. */
const REST_MS = 3_500
const EVERY_MS = 60_000
/** Runs that changed are looked at together. */
const LOOK_MS = 1_000
const MOST_NOTED = 5_000
/** One that takes longer is given up; the next is made with what stands then. */
const MOST_MS = 600_000
const MEMORY_MIB = 2048

/**
 * Keeps the forecast current: in a thread of its own with connections of its own and the least priority, so that it delays neither starting nor placing. Only the engine that leads makes one.
 */
export class Forecaster {
  private readonly pool: Piscina
  private readonly making: ReturnType<typeof paced>
  private readonly looking: ReturnType<typeof paced>
  private changed: number[] = []
  private stopped = false

  constructor(leads: () => boolean, troubles: Troubles) {
    this.pool = new Piscina({
      filename: join(process.env.BUGLE_DIST ?? join(process.cwd(), 'dist'), 'forecaster.cjs'),
      minThreads: 0,
      maxThreads: 1,
      idleTimeout: 2 * EVERY_MS,
      // Between forecasts the thread still looks after its connections.
      atomics: 'disabled',
      resourceLimits: { maxOldGenerationSizeMb: MEMORY_MIB },
      env: { ...process.env, BUGLE_POOL_SIZE: '2' } as Record<string, string>,
    })
    // What befalls the thread between two forecasts, such as a database that went away: the next is made by another.
    this.pool.on('error', (error: unknown) => void (this.stopped || troubles.failed(WHAT, error)))
    const onError = (error: unknown): void => void troubles.failed(WHAT, error)
    this.making = paced(
      async () => {
        if (!leads() || this.stopped) return
        await troubles.watch(WHAT, async () => {
          await this.pool.run(organisation(), { signal: AbortSignal.timeout(MOST_MS) }).catch((error: unknown) => {
            // Its thread ends with the engine.
            if (!this.stopped) throw error
          })
        })
      },
      { restMs: REST_MS, everyMs: EVERY_MS, onError },
    )
    this.looking = paced(
      async () => {
        const ids = this.changed
        this.changed = []
        if (ids.length > 0 && leads() && (await bearsOnForecast(ids))) this.making.wake()
      },
      { restMs: LOOK_MS, everyMs: EVERY_MS, onError },
    )
  }

  /** Something changed: at once what bears on it in any case; runs are looked at first, since most go as foreseen. */
  heard({ jobs, timing, fleet, runs }: Change): void {
    if (jobs || timing || fleet) this.making.wake()
    if (!runs || runs.length === 0) return
    if (this.changed.length < MOST_NOTED) this.changed.push(...runs)
    this.looking.wake()
  }

  async stop(): Promise<void> {
    this.stopped = true
    await this.pool.destroy()
    await Promise.all([this.making.stop(), this.looking.stop()])
  }
}
