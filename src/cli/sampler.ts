import type { Bundle } from '@/core/bundle/schema'
import { modelOf } from '@/core/forecast/build'
import { playSamples, type Finishes } from '@/core/forecast/sampled'

/** Some samples of a forecast, for a thread. */
export interface Share {
  readonly bundle: Bundle
  readonly from: number
  readonly hours: number
  readonly seed: number
  readonly first: number
  readonly count: number
}

/** What a thread does (`dist/sampler.cjs`): the same numbers as if one thread had played all. */
export default function sample({ bundle, from, hours, seed, first, count }: Share): Finishes {
  return playSamples(modelOf(bundle, from, hours), seed, first, count)
}
