import { isTimed } from '../events/kinds'
import type { Bundle, BundleTrigger } from '../bundle/schema'
import { Timings } from '../bundle/timings'
import { DAY_SECONDS, parseTimeOfDay, timeOfDay } from '../calendar/days'
import { SHIPPED_HOLIDAYS } from '../calendar/holiday-data'
import type { Model, TriggerModel, Work } from '../forecast/model'
import { rehearse } from '../flow/rehearse'
import { finishBy } from '../timing/finish-by'
import { rangeOf } from './clock'
import { zoneOf } from '../timing/zone'

/** A step's use of its pool, seconds from the beginning of its flow. */
interface Use {
  readonly pool: number
  readonly slots: number
  readonly start: number
  readonly end: number
}

/** What one occurrence uses, and how long it takes in all, if nothing ever had to wait. */
interface Shape {
  readonly uses: readonly Use[]
  readonly length: number
}

/** Slots that a trigger uses of a pool from a minute to before another, minutes of UTC from the first that anything is used in. */
export interface Segment {
  readonly pool: number
  readonly from: number
  readonly to: number
  readonly slots: number
}

/** A time of day that a trigger may have. */
export interface Choice {
  /** Seconds of the day. */
  readonly time: number
  /** From where it is; negative: earlier. */
  readonly minutes: number
  /** What it uses, so many minutes later than its segments say: choices of one trigger share them where the clock runs evenly. */
  readonly segments: readonly Segment[]
  readonly shift: number
}

interface Movable {
  readonly id: string
  /** Its place in the file. */
  readonly index: number
  /** Those with as few late occurrences as there can be, the shortest moves first; none at all, where that is one of them. */
  readonly choices: readonly Choice[]
  /** Where it is; not among the choices where another has fewer late occurrences. */
  readonly now: Choice
}

/** What of a stretch can be tuned, and what cannot. */
export interface Demand {
  readonly pools: readonly { readonly id: string; readonly slots: number }[]
  readonly minutes: number
  /** Minute of UTC since the epoch that the first of `minutes` is. */
  readonly firstMinute: number
  /** Slots in use by all that does not move, by pool and minute. */
  readonly fixed: readonly Int32Array[]
  readonly movable: readonly Movable[]
  /** Late occurrences as it is, and at least. */
  readonly late: { readonly now: number; readonly least: number }
}

export interface TuneRequest {
  /** Seconds. */
  readonly grid: number
  readonly only: ReadonlySet<string> | null
  readonly keep: ReadonlySet<string>
}

interface Timed {
  readonly at: number
  readonly day: number
  readonly due: number | null
}

/** Works out demand and possible moves. `model`: what the bundle’s stretch is made of. */
export function demandOf(bundle: Bundle, model: Model, request: TuneRequest): Demand {
  const timings = new Timings(bundle.calendars, SHIPPED_HOLIDAYS, bundle.zone)
  const shapes = new Shapes(model)
  let [now, least] = [0, 0]
  const fixed: { trigger: TriggerModel; times: readonly Timed[] }[] = []
  const moving: { trigger: TriggerModel; possible: readonly Possible[] }[] = []
  for (const trigger of onceEach(model)) {
    const written = bundle.triggers[trigger.index]
    // What is open has begun, and is no demand of the stretch.
    if (!written) continue
    const lateAt = (times: readonly Timed[]): number =>
      times.filter(({ at, day, due }) => due !== null && at + shapes.of(trigger, day).length > due).length
    const late = lateAt(trigger.occurrences)
    now += late
    const possible = mayMove(written, request)
      ? movesOf(model, written, trigger, timings, shapes, request.grid).map((each) => ({
          ...each,
          late: lateAt(each.times),
        }))
      : []
    const fewest = possible.reduce((few, each) => Math.min(few, each.late), late)
    least += fewest
    if (possible.length === 0) fixed.push({ trigger, times: trigger.occurrences })
    else {
      const stay = { time: timeOf(written) as number, minutes: 0, times: trigger.occurrences, shift: 0, late }
      moving.push({
        trigger,
        possible: [stay, ...possible].filter((each) => each.minutes === 0 || each.late === fewest),
      })
    }
  }
  return laidOut(model, shapes, fixed, moving, { now, least })
}

/** What starts on each machine moves as one: of its machines the first, which stands for all. */
const onceEach = ({ triggers }: Model): TriggerModel[] =>
  [...new Map([...triggers].reverse().map((trigger) => [trigger.index, trigger])).values()].reverse()

interface Possible {
  readonly time: number
  readonly minutes: number
  readonly times: readonly Timed[]
  /** Every occurrence lies exactly so many minutes from where it is now; null: a clock change comes between. */
  readonly shift: number | null
  readonly late: number
}

/** Seconds of the day; undefined: it is not of the form `at` with one time. */
function timeOf({ time }: BundleTrigger): number | undefined {
  return time && 'at' in time && time.at.length === 1 ? parseTimeOfDay(time.at[0] as string) : undefined
}

function mayMove(trigger: BundleTrigger, { only, keep }: TuneRequest): boolean {
  return (
    timeOf(trigger) !== undefined &&
    trigger.window !== undefined &&
    !keep.has(trigger.id) &&
    (only === null || only.has(trigger.id))
  )
}

/** Every time to which the trigger may be moved: the same days, as many occurrences on each, each with the same due, and nothing late that was not, or later. */
function movesOf(
  model: Model,
  written: BundleTrigger,
  trigger: TriggerModel,
  timings: Timings,
  shapes: Shapes,
  grid: number,
): Omit<Possible, 'late'>[] {
  const time = timeOf(written) as number
  const range = written.window && rangeOf(written.window, time)
  const before = trigger.occurrences
  if (!range || before.length === 0) return []
  const zone = written.zone ?? timings.defaultZone
  const out: Omit<Possible, 'late'>[] = []
  const even = evenDays(model, written, timings)
  for (let to = time - Math.floor((time - range[0]) / grid) * grid; to <= range[1]; to += grid) {
    if (to === time) continue
    const found =
      even === null
        ? timings.schedule({ ...written, time: { at: [timeOfDay(to)] } }).between(model.from, model.to)
        : even.map(({ at, day }) => ({ at: at + to - time, day })).filter(({ at }) => at >= model.from && at < model.to)
    if (found.length !== before.length) continue
    const times = found.map(({ at, day }): Timed => {
      const due = finishBy({ finishBy: written.finishBy, zone }, at * 1000)
      return { at, day, due: due === null ? null : due / 1000 }
    })
    const minutes = (to - time) / 60
    if (isAllowed(before, times, (day) => shapes.of(trigger, day).length))
      out.push({ time: to, minutes, times, shift: even === null ? null : minutes })
  }
  return out
}

/** Occurrences of the stretch and a day around it where no clock changes near it: another time of day then lies exactly as far from each as from the other. Null: one does. */
function evenDays({ from, to }: Model, written: BundleTrigger, timings: Timings): { at: number; day: number }[] | null {
  const zone = zoneOf(written.zone ?? timings.defaultZone)
  const stretch = zone?.stretchAt(from)
  if (!isTimed(written) || !stretch || stretch.from > from - 3 * DAY_SECONDS || stretch.to < to + 3 * DAY_SECONDS)
    return null
  return timings.schedule(written).between(from - DAY_SECONDS, to + DAY_SECONDS)
}

function isAllowed(before: readonly Timed[], after: readonly Timed[], lengthOn: (day: number) => number): boolean {
  if (before.length !== after.length) return false
  const byDay = (a: Timed, b: Timed): number => a.day - b.day || a.at - b.at
  const [old, fresh] = [[...before].sort(byDay), [...after].sort(byDay)]
  return old.every((was, i) => {
    const is = fresh[i] as Timed
    if (is.day !== was.day || is.due !== was.due) return false
    if (was.due === null) return true
    const length = lengthOn(was.day)
    const [finishWas, finishIs] = [was.at + length, is.at + length]
    return finishIs <= was.due || (finishWas > was.due && finishIs <= finishWas)
  })
}

/** What an occurrence of each trigger uses, by its day; days that are alike to a flow are worked out once. */
class Shapes {
  private readonly byWork = new Map<Work, Shape>()
  private readonly pools: ReadonlyMap<string, number>
  /** On how many machines each trigger starts at once, by its place in the file. */
  private readonly machines = new Map<number, number>()

  constructor(model: Model) {
    this.pools = new Map(model.pools.map(({ id }, i) => [id, i]))
    for (const { index } of model.triggers) this.machines.set(index, (this.machines.get(index) ?? 0) + 1)
  }

  of(trigger: TriggerModel, day: number): Shape {
    const work = trigger.workOn(day)
    let shape = this.byWork.get(work)
    if (!shape) this.byWork.set(work, (shape = this.shapeOf(work, this.machines.get(trigger.index) ?? 1)))
    return shape
  }

  /** The rehearsal of a night on which everything succeeds. */
  private shapeOf({ plan, look, steps }: Work, machines: number): Shape {
    const used = (step: NonNullable<Work['steps'][number]>, start: number): Use => ({
      pool: this.pools.get(step.pool) as number,
      slots: step.load * machines,
      start,
      end: start + step.length.p50,
    })
    if (!plan) {
      const step = steps[0] as NonNullable<Work['steps'][number]>
      return { uses: [used(step, 0)], length: step.length.p50 }
    }
    const timed = {
      ...plan,
      steps: plan.steps.map((step) => ({ ...step, expect: steps[step.index]?.length.p50 ?? null })),
    }
    const { times } = rehearse(timed, look)
    const uses = steps.flatMap((step) => {
      const at = step?.path === undefined || step.path === null ? undefined : times.get(step.path)
      return step && at ? [used(step, at.start)] : []
    })
    return { uses, length: [...times.values()].reduce((most, { end }) => Math.max(most, end), 0) }
  }
}

/** [start, end) uses a minute if it runs in any part of it. */
function laidOut(
  model: Model,
  shapes: Shapes,
  fixed: readonly { trigger: TriggerModel; times: readonly Timed[] }[],
  moving: readonly { trigger: TriggerModel; possible: readonly Possible[] }[],
  late: Demand['late'],
): Demand {
  let [first, last] = [Infinity, -Infinity]
  const reach = (from: number, to: number): void => {
    first = Math.min(first, from)
    last = Math.max(last, to)
  }
  const segmentsOf = (trigger: TriggerModel, times: readonly Timed[]): Segment[] =>
    times.flatMap(({ at, day }) =>
      shapes.of(trigger, day).uses.map(({ pool, slots, start, end }) => {
        const [from, to] = [Math.floor((at + start) / 60), Math.ceil((at + end) / 60)]
        reach(from, to)
        return { pool, slots, from, to }
      }),
    )
  const fixedSegments = fixed.flatMap(({ trigger, times }) => segmentsOf(trigger, times))
  const drafts = moving.map(({ trigger, possible }) => {
    const stay = segmentsOf(trigger, trigger.occurrences)
    const least = Math.min(...possible.map((each) => each.late))
    return {
      trigger,
      isFewest: possible.map((each) => each.late === least),
      choices: possible.map(({ time, minutes, times, shift }) => {
        if (shift === null) return { time, minutes, segments: segmentsOf(trigger, times), shift: 0 }
        for (const { from, to } of stay) reach(from + shift, to + shift)
        return { time, minutes, segments: stay, shift }
      }),
    }
  })
  const firstMinute = first === Infinity ? Math.floor(model.from / 60) : first
  const minutes = last === -Infinity ? 0 : last - firstMinute
  const known = new Map<readonly Segment[], Segment[]>()
  const shifted = (segments: readonly Segment[]): Segment[] => {
    let found = known.get(segments)
    if (!found) {
      found = joined(segments.map((each) => ({ ...each, from: each.from - firstMinute, to: each.to - firstMinute })))
      known.set(segments, found)
    }
    return found
  }
  const usage = model.pools.map(() => new Int32Array(minutes))
  for (const { pool, from, to, slots } of shifted(fixedSegments))
    for (let m = from; m < to; m++) (usage[pool] as Int32Array)[m] = ((usage[pool] as Int32Array)[m] as number) + slots
  return {
    // On a server a pool may have no agent at all; a file is refused with less than a slot.
    pools: model.pools.map(({ id, capacity }) => ({ id, slots: Math.max(1, capacity) })),
    minutes,
    firstMinute,
    fixed: usage,
    movable: drafts.map(({ trigger, choices, isFewest }) => {
      const all = choices.map((choice) => ({ ...choice, segments: shifted(choice.segments) }))
      return {
        id: trigger.id,
        index: trigger.index,
        now: all[0] as Choice,
        choices: all.filter((_, i) => isFewest[i]).sort((a, b) => Math.abs(a.minutes) - Math.abs(b.minutes)),
      }
    }),
    late,
  }
}

/** Uses of a pool that meet or overlap as few stretches of one height each. */
function joined(segments: readonly Segment[]): Segment[] {
  const byPool = new Map<number, Map<number, number>>()
  for (const { pool, from, to, slots } of segments) {
    let changes = byPool.get(pool)
    if (!changes) byPool.set(pool, (changes = new Map()))
    changes.set(from, (changes.get(from) ?? 0) + slots)
    changes.set(to, (changes.get(to) ?? 0) - slots)
  }
  return [...byPool].flatMap(([pool, changes]) => {
    const at = [...changes].filter(([, change]) => change !== 0).sort(([a], [b]) => a - b)
    let slots = 0
    return at.flatMap(([from, change], i): Segment[] => {
      slots += change
      return slots === 0 ? [] : [{ pool, from, to: at[i + 1]?.[0] ?? from, slots }]
    })
  })
}
