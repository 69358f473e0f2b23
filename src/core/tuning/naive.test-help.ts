import type { Bundle } from '../bundle/schema'
import { parseTimeOfDay, timeOfDay } from '../calendar/days'
import { modelOf } from '../forecast/build'
import { rehearse } from '../flow/rehearse'
import { rangeOf } from './clock'

export interface Naive {
  readonly late: number
  readonly strain: number
  readonly relative: number
  readonly peaks: Readonly<Record<string, number>>
}

interface Part {
  readonly pool: string
  readonly slots: number
  readonly start: number
  readonly end: number
}

/** What each occurrence uses, in seconds since the epoch, and when it has ended. */
function nightsOf(
  bundle: Bundle,
  from: number,
  hours: number,
): { trigger: string; day: number; due: number | null; finish: number; parts: Part[] }[] {
  return modelOf(bundle, from, hours).triggers.flatMap((trigger) =>
    trigger.occurrences.map(({ at, day, due }) => {
      const { plan, look, steps } = trigger.workOn(day)
      const parts: Part[] = []
      let finish = at
      if (plan) {
        const timed = {
          ...plan,
          steps: plan.steps.map((step) => ({ ...step, expect: steps[step.index]?.length.p50 ?? null })),
        }
        for (const [path, { start, end }] of rehearse(timed, look).times) {
          finish = Math.max(finish, at + end)
          const step = steps[plan.byPath.get(path) as number]
          if (step) parts.push({ pool: step.pool, slots: step.slots, start: at + start, end: at + end })
        }
      } else {
        const step = steps[0] as NonNullable<(typeof steps)[number]>
        parts.push({ pool: step.pool, slots: step.slots, start: at, end: at + step.length.p50 })
        finish = at + step.length.p50
      }
      return { trigger: trigger.id, day, due, finish, parts }
    }),
  )
}

/** The criteria of a stretch, counted minute by minute and second by second. */
export function naiveMeasure(bundle: Bundle, from: number, hours: number): Naive {
  const nights = nightsOf(bundle, from, hours)
  const parts = nights.flatMap((night) => night.parts)
  const peaks: Record<string, number> = {}
  let [strain, relative] = [0, 0]
  for (const { id, capacity } of modelOf(bundle, from, hours).pools) {
    const used = new Map<number, number>()
    for (const { pool, slots, start, end } of parts)
      if (pool === id)
        for (const minute of new Set(Array.from({ length: end - start }, (_, i) => Math.floor((start + i) / 60))))
          used.set(minute, (used.get(minute) ?? 0) + slots)
    const peak = Math.max(0, ...used.values())
    peaks[id] = peak
    strain += Math.max(0, peak - capacity)
    relative += peak / capacity
  }
  return { late: nights.filter(({ due, finish }) => due !== null && finish > due).length, strain, relative, peaks }
}

/** Every bundle that moves of these triggers lead to, this one included. */
export function* everyMove(
  bundle: Bundle,
  from: number,
  hours: number,
  grid: number,
  movable: readonly string[],
): Generator<Bundle> {
  const [first, ...others] = movable
  if (first === undefined) {
    yield bundle
    return
  }
  const trigger = bundle.triggers.find(({ id }) => id === first) as Bundle['triggers'][number]
  const time = parseTimeOfDay((trigger.time && 'at' in trigger.time && trigger.time.at[0]) || '') as number
  const range = trigger.window ? rangeOf(trigger.window, time) : null
  const old = nightsOf(bundle, from, hours).filter((night) => night.trigger === first)
  for (let to = time % grid; to < 86_400; to += grid) {
    if (to !== time && (!range || to < range[0] || to > range[1])) continue
    const moved = {
      ...bundle,
      triggers: bundle.triggers.map((each) => (each.id === first ? { ...each, time: { at: [timeOfDay(to)] } } : each)),
    }
    const fresh = nightsOf(moved, from, hours).filter((night) => night.trigger === first)
    const isAllowed =
      fresh.length === old.length &&
      old.every((was, i) => {
        const is = fresh[i] as typeof was
        if (is.day !== was.day || is.due !== was.due) return false
        return was.due === null || is.finish <= was.due || (was.finish > was.due && is.finish <= was.finish)
      })
    if (isAllowed) yield* everyMove(moved, from, hours, grid, others)
  }
}
