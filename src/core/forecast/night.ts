import type { Bundle } from '../bundle/schema'
import { playNight, type Band } from './band'
import { modelOf } from './build'
import type { Model } from './model'
import { recorded, told, type Forecast, type Recorded } from './report'
import { withSamples } from './sampled'
import type { Server } from './server'

/** A forecast with what a screen shows besides: how many slots are in use and wait, in stretches of one length. */
export interface NightForecast extends Forecast {
  /** Seconds since the epoch. */
  readonly from: number
  readonly to: number
  readonly samples: number
  /** Seconds. */
  readonly bucket: number
  /** Mean slots in use by usual lengths, and slots that what is ready waits for; of all pools together. */
  readonly used: readonly number[]
  readonly waiting: readonly number[]
  /** Occurrences whose work becomes ready in each. */
  readonly starts: readonly number[]
  /** null: not sampled. */
  readonly band: Band | null
}

/** One stretch, as it is shown: by usual lengths, and by `samples` plays with lengths drawn. Throws a ForecastFault. */
export function nightOf(
  { bundle, server }: { readonly bundle: Bundle; readonly server: Server | null },
  from: number,
  hours: number,
  { samples, seed = 1, bucket = 900 }: { samples: number; seed?: number; bucket?: number },
): NightForecast {
  const model = modelOf(bundle, from, hours, server)
  const record = recorded(model)
  const usual = told(model, record)
  const sampled = samples > 0 ? playNight(model, seed, samples, bucket) : null
  const forecast = sampled ? withSamples(usual, [sampled.finishes], samples) : usual
  const at = { from: model.from, to: model.to }
  return { ...forecast, ...at, samples, bucket, ...busyAndWaiting(model, record, bucket), band: sampled?.band ?? null }
}

function busyAndWaiting(
  { from, to }: Model,
  { attempts }: Recorded,
  bucket: number,
): { used: number[]; waiting: number[]; starts: number[] } {
  const buckets = Math.max(1, Math.ceil((to - from) / bucket))
  const empty = (): number[] => new Array<number>(buckets).fill(0)
  const [used, waiting, starts] = [empty(), empty(), empty()]
  const add = (into: number[], begins: number, ends: number, slots: number): void => {
    const [first, last] = [Math.max(0, (begins - from) / bucket), Math.min(buckets, (ends - from) / bucket)]
    for (let b = Math.floor(first); b < last; b++)
      into[b] = (into[b] ?? 0) + slots * (Math.min(b + 1, last) - Math.max(b, first))
  }
  const begun = new Set<string>()
  for (const { task, ready, start, end, state } of [...attempts].sort((a, b) => a.ready - b.ready)) {
    const { trigger, at } = task.night.of
    const key = `${trigger.id} ${at}`
    const bucketAt = Math.floor((ready - from) / bucket)
    if (!begun.has(key) && bucketAt >= 0 && bucketAt < buckets) starts[bucketAt] = (starts[bucketAt] ?? 0) + 1
    begun.add(key)
    const { slots } = task.step
    if (start !== null) add(used, start, end ?? to, slots)
    if (state !== 'cancelled' || start !== null) add(waiting, ready, start ?? to, slots)
  }
  const round = (list: number[]): number[] => list.map((n) => Math.round(n * 100) / 100)
  return { used: round(used), waiting: round(waiting), starts }
}
