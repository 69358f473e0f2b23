import { join } from 'node:path'
import Piscina from 'piscina'
import { reportsAreDue } from '@/service/reports/due'
import { organisation } from '@/store/organisation'
import { paced } from './pace'
import type { Troubles } from './trouble'

const WHAT = 'make reports'
const EVERY_MS = 10_000
const REST_MS = 200
const IDLE_MS = 120_000
const MEMORY_MIB = 2048

/** Makes reports in a thread of its own, with connections of its own and the least priority. Every engine may: each takes what no other has. */
export class Reporter {
  private readonly pool: Piscina
  private readonly making: ReturnType<typeof paced>
  private stopped = false

  constructor(troubles: Troubles) {
    this.pool = new Piscina({
      filename: join(process.env.BUGLE_DIST ?? join(process.cwd(), 'dist'), 'reporter.cjs'),
      minThreads: 0,
      maxThreads: 1,
      idleTimeout: IDLE_MS,
      // Between reports the thread still looks after its connections.
      atomics: 'disabled',
      resourceLimits: { maxOldGenerationSizeMb: MEMORY_MIB },
      env: { ...process.env, BUGLE_POOL_SIZE: '2' } as Record<string, string>,
    })
    this.pool.on('error', (error: unknown) => void (this.stopped || troubles.failed(WHAT, error)))
    this.making = paced(
      () =>
        troubles.watch(WHAT, async () => {
          if (this.stopped || !(await reportsAreDue())) return
          await this.pool.run(organisation()).catch((error: unknown) => {
            // Its thread ends with the engine: what it was making another takes up.
            if (!this.stopped) throw error
          })
        }),
      { restMs: REST_MS, everyMs: EVERY_MS, onError: (error) => void troubles.failed(WHAT, error) },
    )
  }

  wake(): void {
    this.making.wake()
  }

  async stop(): Promise<void> {
    this.stopped = true
    await this.pool.destroy()
    await this.making.stop()
  }
}
