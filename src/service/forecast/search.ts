import { z } from 'zod'
import { loadSolver } from '@/core/tuning/highs'
import { tuneWithPeaks, type Tuned } from '@/core/tuning/tune'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { laterOf } from '@/core/forecast/server'
import { blaming, stretchSchema } from './nights'
import { forecastMaterial } from './material'

const idList = z.array(z.string().max(80)).max(5000)

export const searchSchema = stretchSchema.extend({
  /** Starts move by whole steps of so many minutes. */
  grid: z.coerce.number().int().min(1).max(1440).default(5),
  seconds: z.coerce.number().int().min(1).max(25).default(5),
  /** Triggers that may move; null: all that have a window. */
  only: idList.nullable().default(null),
  keep: idList.default([]),
})

/** Start times that even the load of a stretch and save deadlines, the best that is found in the time, with what no answer can be better than. The same for the same request. */
export async function searchMoves(
  actor: Actor,
  { from, hours, grid, seconds, only, keep }: z.output<typeof searchSchema>,
): Promise<Tuned> {
  requireSomewhere(actor, 'see')
  const began = performance.now()
  const { bundle, server } = await forecastMaterial(actor)
  const solve = await loadSolver()
  const clock = (): number => performance.now()
  const request = { grid: grid * 60, only: only && new Set(only), keep: new Set(keep) }
  const milliseconds = Math.max(300, seconds * 1000 - (clock() - began))
  return blaming(() =>
    tuneWithPeaks(
      bundle,
      Math.floor(Date.parse(from) / 1000),
      hours,
      request,
      { milliseconds, clock, solve },
      laterOf(server),
    ),
  )
}
