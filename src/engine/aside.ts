import { join } from 'node:path'
import Piscina from 'piscina'
import { organisation } from '@/store/organisation'
import { paced } from './pace'
import type { Troubles } from './trouble'

const REST_MS = 200
const IDLE_MS = 120_000
const MEMORY_MIB = 2048

/** Slow work that waits in the database for whoever comes first. */
interface Work {
  /** As troubles say it. */
  readonly what: string
  /** The thread's program in `dist`: what it answers is whether there may be more. */
  readonly file: string
  readonly everyMs: number
  readonly isDue: () => Promise<boolean>
  /** A turn that takes longer is ended, with its thread. */
  readonly mostMs?: number
}

/** Does slow work in a thread of its own, with connections of its own and the least priority. Every engine may: each takes what no other has. */
export class Aside {
  private readonly pool: Piscina
  private readonly doing: ReturnType<typeof paced>
  private stopped = false

  constructor({ what, file, everyMs, isDue, mostMs }: Work, troubles: Troubles) {
    this.pool = new Piscina({
      filename: join(process.env.BUGLE_DIST ?? join(process.cwd(), 'dist'), file),
      minThreads: 0,
      maxThreads: 1,
      idleTimeout: IDLE_MS,
      // Between its turns the thread still looks after its connections.
      atomics: 'disabled',
      resourceLimits: { maxOldGenerationSizeMb: MEMORY_MIB },
      env: { ...process.env, BUGLE_POOL_SIZE: '2' } as Record<string, string>,
    })
    this.pool.on('error', (error: unknown) => void (this.stopped || troubles.failed(what, error)))
    const turn = async (): Promise<boolean> => {
      const options = mostMs === undefined ? {} : { signal: AbortSignal.timeout(mostMs) }
      return (await this.pool.run(organisation(), options).catch((error: unknown) => {
        // Its thread ends with the engine: what it was at another takes up.
        if (!this.stopped) throw error
        return false
      })) as boolean
    }
    this.doing = paced(
      () =>
        troubles.watch(what, async () => {
          while (!this.stopped && (await isDue()) && (await turn()));
        }),
      { restMs: REST_MS, everyMs, onError: (error) => void troubles.failed(what, error) },
    )
  }

  wake(): void {
    this.doing.wake()
  }

  async stop(): Promise<void> {
    this.stopped = true
    await this.pool.destroy()
    await this.doing.stop()
  }
}
