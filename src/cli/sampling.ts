import { existsSync } from 'node:fs'
import { availableParallelism } from 'node:os'
import { dirname, join } from 'node:path'
import Piscina from 'piscina'
import type { Bundle } from '@/core/bundle/schema'
import type { Model } from '@/core/forecast/model'
import { playSamples, type Finishes } from '@/core/forecast/sampled'
import type { Share } from './sampler'

/** Fewer runs than this in all are played sooner than threads begin. */
const WORTH_THREADS = 300_000
/** Each thread takes so many samples at a time, so that none waits long for the last. */
const SHARES_EACH = 4

/**
 * All samples of a model, in threads where that is worth it. Numbers are the same however they are shared.
 *
 * @param runs of one sample, about
 */
export async function sampleAll(
  bundle: Bundle,
  model: Model,
  { hours, seed, samples, runs }: { hours: number; seed: number; samples: number; runs: number },
  onSamples: (more: number) => void,
): Promise<Finishes[]> {
  const file = join(dirname(process.argv[1] ?? ''), 'sampler.cjs')
  const threads = Math.min(availableParallelism(), 8)
  if (runs * samples < WORTH_THREADS || threads < 2 || !existsSync(file))
    return [playSamples(model, seed, 0, samples, () => onSamples(1))]
  const pool = new Piscina({ filename: file, maxThreads: threads })
  try {
    const each = Math.ceil(samples / (threads * SHARES_EACH))
    const shares = Array.from({ length: Math.ceil(samples / each) }, (_, i): Share => ({
      bundle,
      from: model.from,
      hours,
      seed,
      first: i * each,
      count: Math.min(each, samples - i * each),
    }))
    return await Promise.all(
      shares.map(async (share) => {
        const finishes = (await pool.run(share)) as Finishes
        onSamples(share.count)
        return finishes
      }),
    )
  } finally {
    await pool.destroy()
  }
}
