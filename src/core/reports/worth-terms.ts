import { z } from 'zod'
import { parseIsoDay } from '../calendar/days'

const amount = (most: number): z.ZodNullable<z.ZodNumber> => z.number().min(0).max(most).nullable()
const day = z.string().refine((text) => parseIsoDay(text) !== undefined, 'Write a day as 2026-11-30.')

/** What is known of a job, or of all jobs of an area that say nothing of their own; null: nothing said. */
export const worthTermSchema = z.strictObject({
  /** From this day on; null: from the beginning. */
  since: day.nullable().default(null),
  /** Minutes that one run spares a person. */
  minutes: amount(100_000).default(null),
  /** What an hour of that person costs. */
  rate: amount(1_000_000).default(null),
  /** What one run costs. */
  runCost: amount(1_000_000).default(null),
})
export type WorthTerm = z.output<typeof worthTermSchema>

/** What it took to make. */
export const madeSchema = z.strictObject({
  hours: z.number().min(0).max(1_000_000),
  rate: z.number().min(0).max(1_000_000),
  on: day,
})
export type Made = z.output<typeof madeSchema>

/** Of one day, whole. */
export interface Terms {
  readonly minutes: number
  readonly rate: number
  readonly runCost: number
}

const FIELDS = ['minutes', 'rate', 'runCost'] as const

/**
 * The terms of a day: each part is what was said last by then, of the job itself, else of its area, else of the areas around that. null: nobody said how many minutes a run spares. What is not said of rate or cost is nothing.
 * @param said first the job’s own, then those of its areas, the nearest first
 * @param isoDay `2026-11-30`
 */
export function termsOn(said: readonly (readonly WorthTerm[])[], isoDay: string): Terms | null {
  const found: { minutes: number | null; rate: number | null; runCost: number | null } = {
    minutes: null,
    rate: null,
    runCost: null,
  }
  for (const field of FIELDS)
    for (const terms of said) {
      let since = ''
      for (const term of terms) {
        const value = term[field]
        if (value === null || (term.since ?? '') > isoDay || (term.since ?? '') < since) continue
        since = term.since ?? ''
        found[field] = value
      }
      if (found[field] !== null) break
    }
  const { minutes, rate, runCost } = found
  return minutes === null ? null : { minutes, rate: rate ?? 0, runCost: runCost ?? 0 }
}

/** What is said of all work. */
export interface WorthBook {
  /** Of a job or flow: its own, then its areas’; a flow has no more than its own. */
  readonly saidOf: (jobId: number) => readonly (readonly WorthTerm[])[]
  /** Whether somebody said how many minutes this very job or flow spares. */
  readonly hasOwn: (jobId: number) => boolean
  readonly madeOf: (jobId: number) => Made | null
  /** Who saved it last. */
  readonly byOf: (jobId: number) => string
}
