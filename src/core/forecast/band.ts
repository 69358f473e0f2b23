import type { Model } from './model'
import { playSamples, type Finishes } from './sampled'
import type { Witness } from './play'

/** Mean slots in use, of all pools together, in stretches of one length. */
export interface Band {
  readonly p10: readonly number[]
  readonly p50: readonly number[]
  readonly p90: readonly number[]
}

/**
 * Plays all samples, and looks at how many slots are in use over the stretch besides.
 *
 * @param bucket seconds
 */
export function playNight(
  model: Model,
  seed: number,
  samples: number,
  bucket: number,
): { readonly finishes: Finishes; readonly band: Band } {
  const buckets = Math.max(1, Math.ceil((model.to - model.from) / bucket))
  const busy = Array.from({ length: buckets }, () => new Float64Array(samples))
  const finishes = playSamples(model, seed, 0, samples, undefined, (sample) =>
    busyWitness(model.from, bucket, busy, sample),
  )
  const at = (share: number): number[] =>
    busy.map((each) => {
      const sorted = each.slice().sort()
      return Math.round((sorted[Math.ceil(share * samples) - 1] ?? 0) * 100) / 100
    })
  return { finishes, band: { p10: at(0.1), p50: at(0.5), p90: at(0.9) } }
}

/** Writes down how busy one sample was. */
function busyWitness(from: number, bucket: number, busy: readonly Float64Array[], sample: number): Witness {
  let [since, inUse, changed] = [from, 0, 0]
  return {
    attempt: () => undefined,
    used: (_, slots) => void (changed += slots),
    instant: (now) => {
      if (inUse > 0) addBusy(busy, sample, (since - from) / bucket, (now - from) / bucket, inUse)
      since = now
      inUse += changed
      changed = 0
    },
  }
}

/** Adds so many slots from one place to another, both in buckets. */
function addBusy(busy: readonly Float64Array[], sample: number, from: number, to: number, slots: number): void {
  const last = Math.min(to, busy.length)
  for (let b = Math.floor(from); b < last; b++) {
    const share = Math.min(b + 1, last) - Math.max(b, from)
    const bucket = busy[b] as Float64Array
    bucket[sample] = (bucket[sample] as number) + share * slots
  }
}
