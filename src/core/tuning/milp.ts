import type { Demand, Segment } from './demand'

/** A mixed-integer program in rows: minimize cost · x subject to rowLower ≤ A x ≤ rowUpper and colLower ≤ x ≤ colUpper. */
export interface Program {
  readonly cost: number[]
  readonly colLower: number[]
  readonly colUpper: number[]
  readonly isInteger: boolean[]
  readonly rowLower: number[]
  readonly rowUpper: number[]
  /** Compressed rows. */
  readonly starts: number[]
  readonly indices: number[]
  readonly values: number[]
}

/** What a solver makes of a program in the time that it has. */
export interface Solved {
  readonly isInfeasible: boolean
  /** No answer costs less; -Infinity: nothing is known. */
  readonly bound: number
  /** The best answer found; null: none. */
  readonly x: readonly number[] | null
}

/** `start`: an answer to begin with. */
export type Solver = (program: Program, seconds: number, start: readonly number[]) => Solved

/** The program of a stretch, with what its columns mean. */
export interface Stretch {
  readonly program: Program
  /** First column of each movable trigger; its choices follow. */
  readonly columns: readonly number[]
  /** Of each pool the columns of its peak and of what that is above its slots. */
  readonly peaks: readonly number[]
  readonly strains: readonly number[]
}

/**
 * One yes-or-no column for each choice of each trigger, and of each pool its peak, which no minute may be above. Minutes that cannot reach the least peak there is are left out, and of
 * those that the same choices use only the highest stays.
 *
 * @param least of each pool what its peak is at least
 * @param only of which pools; what others use is not looked at
 */
export function programOf(demand: Demand, least: readonly number[], only?: number): Stretch {
  const { pools, movable } = demand
  const program: Program = {
    cost: [],
    colLower: [],
    colUpper: [],
    isInteger: [],
    rowLower: [],
    rowUpper: [],
    starts: [0],
    indices: [],
    values: [],
  }
  const column = (lower: number, upper: number): number => {
    program.cost.push(0)
    program.colLower.push(lower)
    program.colUpper.push(upper)
    program.isInteger.push(true)
    return program.cost.length - 1
  }
  const row = (lower: number, upper: number, entries: readonly (readonly [number, number])[]): void => {
    program.rowLower.push(lower)
    program.rowUpper.push(upper)
    for (const [index, value] of entries) {
      program.indices.push(index)
      program.values.push(value)
    }
    program.starts.push(program.indices.length)
  }
  const columns = movable.map(({ choices }) => {
    const first = program.cost.length
    choices.forEach(() => column(0, 1))
    return first
  })
  const most = pools.map((_, pool) => mostInAMinute(demand, pool))
  const peaks = pools.map((_, pool) =>
    column(least[pool] as number, Math.max(least[pool] as number, most[pool] as number)),
  )
  const strains = pools.map(() => column(0, Infinity))
  movable.forEach(({ choices }, i) =>
    row(
      1,
      1,
      choices.map((_, c) => [(columns[i] as number) + c, 1] as const),
    ),
  )
  pools.forEach(({ slots }, pool) =>
    row(-slots, Infinity, [
      [strains[pool] as number, 1],
      [peaks[pool] as number, -1],
    ]),
  )
  pools.forEach((_, pool) => {
    if (only !== undefined && pool !== only) return
    for (const { base, entries } of minutesOf(demand, pool, columns, least[pool] as number))
      row(base, Infinity, [[peaks[pool] as number, 1], ...entries.map(([index, slots]) => [index, -slots] as const)])
  })
  return { program, columns, peaks, strains }
}

const segmentsIn = (segments: readonly Segment[], pool: number): readonly Segment[] =>
  segments.filter((each) => each.pool === pool)

/** How many entries the program of a stretch would have, about: choices by the minutes that they use. */
export const sizeOf = ({ movable }: Demand): number =>
  movable.reduce(
    (sum, { choices }) =>
      sum + choices.length * (choices[0]?.segments.reduce((all, { from, to }) => all + to - from, 0) ?? 0),
    0,
  )

function mostInAMinute({ fixed, movable, minutes }: Demand, pool: number): number {
  let most = 0
  const all = movable.map(({ choices }) =>
    choices.map(({ segments, shift }) =>
      segmentsIn(segments, pool).map(({ from, to, slots }) => ({ from: from + shift, to: to + shift, slots })),
    ),
  )
  const highest = new Int32Array(minutes)
  for (const choices of all) {
    const own = new Int32Array(minutes)
    for (const segments of choices)
      for (const { from, to, slots } of segments)
        for (let m = from; m < to; m++) if (slots > (own[m] as number)) own[m] = slots
    for (let m = 0; m < minutes; m++) highest[m] = (highest[m] as number) + (own[m] as number)
  }
  for (let m = 0; m < minutes; m++)
    most = Math.max(most, (highest[m] as number) + ((fixed[pool] as Int32Array)[m] as number))
  return most
}

/** The minutes of a pool that can decide its peak: which columns use how many slots in them, and what is used anyway. */
function minutesOf(
  { fixed, movable, minutes }: Demand,
  pool: number,
  columns: readonly number[],
  least: number,
): { base: number; entries: [number, number][] }[] {
  const entries = Array.from({ length: minutes }, (): [number, number][] => [])
  movable.forEach(({ choices }, i) =>
    choices.forEach(({ segments, shift }, c) => {
      for (const { from, to, slots } of segmentsIn(segments, pool))
        for (let m = from + shift; m < to + shift; m++) entries[m]?.push([(columns[i] as number) + c, slots])
    }),
  )
  const owner = new Map<number, number>()
  movable.forEach(({ choices }, i) => choices.forEach((_, c) => owner.set((columns[i] as number) + c, i)))
  const kept = new Map<string, { base: number; entries: [number, number][] }>()
  entries.forEach((list, m) => {
    const base = (fixed[pool] as Int32Array)[m] as number
    const most = new Map<number, number>()
    for (const [index, slots] of list) {
      const i = owner.get(index) as number
      most.set(i, Math.max(most.get(i) ?? 0, slots))
    }
    if ([...most.values()].reduce((sum, slots) => sum + slots, base) <= least) return
    const key = list.map(([index, slots]) => `${index}:${slots}`).join()
    const other = kept.get(key)
    if (!other || other.base < base) kept.set(key, { base, entries: list })
  })
  return [...kept.values()]
}

const MOST_COMPARED = 400

/** Of each pool what its peak is at least: what is used anyway, and what must lie within a stretch spread evenly over it. */
export function leastPeaks(demand: Demand): number[] {
  return demand.pools.map((_, pool) => leastPeak(demand, pool))
}

function leastPeak({ fixed, movable, minutes }: Demand, pool: number): number {
  const base = (fixed[pool] as Int32Array).slice()
  // What every choice of a trigger uses of a minute is used anyway.
  for (const { choices } of movable) {
    // Of very many choices none leaves a minute in common; that is not looked for.
    if (choices.length > MOST_COMPARED) continue
    const always = new Int32Array(minutes).fill(choices.length === 0 ? 0 : 1_000_000)
    for (const { segments, shift } of choices) {
      const own = new Int32Array(minutes)
      for (const { from, to, slots } of segmentsIn(segments, pool)) own.fill(slots, from + shift, to + shift)
      for (let m = 0; m < minutes; m++) always[m] = Math.min(always[m] as number, own[m] as number)
    }
    for (let m = 0; m < minutes; m++) base[m] = (base[m] as number) + (always[m] as number)
  }
  let least = base.reduce((most, used) => Math.max(most, used), 0)
  // Whatever its choice, a trigger needs room for its highest use, and all of them for what they use in all.
  let work = (fixed[pool] as Int32Array).reduce((sum, used) => sum + used, 0)
  for (const { choices } of movable) {
    const own = choices.map(({ segments }) => segmentsIn(segments, pool))
    const highest = (segments: readonly Segment[]): number =>
      segments.reduce((top, { slots }) => Math.max(top, slots), 0)
    const used = (segments: readonly Segment[]): number =>
      segments.reduce((sum, { from, to, slots }) => sum + (to - from) * slots, 0)
    // Choices that are the same but for when they begin share their segments.
    const shapes = [...new Map(choices.map(({ segments }, c) => [segments, own[c] as readonly Segment[]])).values()]
    least = Math.max(least, Math.min(...shapes.map(highest)))
    work += Math.min(...shapes.map(used))
  }
  return Math.max(least, minutes === 0 ? 0 : Math.ceil(work / minutes))
}
