import type { Choice, Demand } from './demand'
import type { Answer } from './best'

/** Choices that one move compares. */
const MOST_LOOKS = 64

/**
 * Where there is more than a goal allows: the square of the slots above it, summed over the minutes of all pools. A move takes a trigger out of a minute that is too full and puts it where
 * that sum becomes least; where it came from is closed to it for a while. Everything lies in flat typed arrays.
 */
export class Crowding {
  readonly answer: Answer
  private readonly usage: Int32Array
  private readonly goal: Int32Array
  private readonly minutes: number
  /** Choices of each trigger as pool, from, to, slots, one after the other. */
  private readonly flat: readonly (readonly Int32Array[])[]
  /** Minutes that each choice is later than what is written of it. */
  private readonly shifts: readonly Int32Array[]
  /** Move until which a choice is closed, by trigger. */
  private readonly closedUntil: readonly Int32Array[]
  /** Minutes that are too full, as places in `usage`, in no order, and where each stands in the list. */
  private readonly full: Int32Array
  private readonly placeOf: Int32Array
  private fullCount = 0
  private crowd = 0
  private moves = 0

  constructor(
    private readonly demand: Demand,
    answer: Answer,
    private readonly random: () => number,
  ) {
    const { pools, minutes, fixed, movable } = demand
    this.minutes = minutes
    this.answer = answer.slice()
    this.goal = new Int32Array(pools.length).fill(2_000_000_000)
    this.usage = new Int32Array(pools.length * minutes)
    this.full = new Int32Array(pools.length * minutes)
    this.placeOf = new Int32Array(pools.length * minutes).fill(-1)
    fixed.forEach((used, pool) => this.usage.set(used, pool * minutes))
    const known = new Map<Choice['segments'], Int32Array>()
    this.flat = movable.map(({ choices }) => choices.map(({ segments }) => flatOf(segments, known)))
    this.shifts = movable.map(({ choices }) => Int32Array.from(choices.map(({ shift }) => shift)))
    this.closedUntil = movable.map(({ choices }) => new Int32Array(choices.length))
    movable.forEach((_, i) => this.add(i, this.answer[i] as number, 1))
  }

  /** How high each pool may be. */
  setGoal(goal: readonly number[]): void {
    this.goal.set(goal)
    this.crowd = 0
    this.fullCount = 0
    this.placeOf.fill(-1)
    for (let pool = 0; pool < this.goal.length; pool++)
      for (let m = 0; m < this.minutes; m++) {
        const at = pool * this.minutes + m
        const above = (this.usage[at] as number) - (this.goal[pool] as number)
        if (above <= 0) continue
        this.crowd += above * above
        this.enlist(at)
      }
    for (const closed of this.closedUntil) closed.fill(0)
    this.moves = 0
  }

  put(answer: Answer): void {
    for (let i = 0; i < answer.length; i++) {
      const [from, to] = [this.answer[i] as number, answer[i] as number]
      if (from === to) continue
      this.add(i, from, -1)
      this.add(i, to, 1)
      this.answer[i] = to
    }
  }

  /** Makes one move; returns what is above the goal after it, 0 when it is reached. */
  move(): number {
    if (this.fullCount === 0) return 0
    this.moves++
    const at = this.full[Math.floor(this.random() * this.fullCount)] as number
    const i = this.someoneIn(Math.floor(at / this.minutes), at % this.minutes)
    if (i < 0) return this.crowd
    const from = this.answer[i] as number
    this.add(i, from, -1)
    const to = this.bestFor(i, from)
    this.add(i, to, 1)
    this.answer[i] = to
    const closed = this.closedUntil[i] as Int32Array
    closed[from] = this.moves + 4 + Math.floor(this.random() * (6 + closed.length / 3))
    return this.crowd
  }

  /** A trigger that uses this minute, each as likely; -1: none. */
  private someoneIn(pool: number, minute: number): number {
    let [found, count] = [-1, 0]
    for (let i = 0; i < this.flat.length; i++) {
      const choices = this.flat[i] as readonly Int32Array[]
      if (choices.length < 2) continue
      const choice = this.answer[i] as number
      const segments = choices[choice] as Int32Array
      const wanted = minute - (this.shifts[i]?.[choice] as number)
      for (let s = 0; s < segments.length; s += 4) {
        if (segments[s] !== pool || (segments[s + 1] as number) > wanted || (segments[s + 2] as number) <= wanted)
          continue
        count++
        if (this.random() * count < 1) found = i
        break
      }
    }
    return found
  }

  /** Where it adds least, but for where it was and what is closed to it; of equals any. */
  private bestFor(i: number, from: number): number {
    const choices = this.flat[i] as readonly Int32Array[]
    const closed = this.closedUntil[i] as Int32Array
    let [best, least, equals] = [from, Infinity, 0]
    // Of very many choices some are looked at, others the next time.
    const looks = Math.min(choices.length, MOST_LOOKS)
    const first = looks < choices.length ? Math.floor(this.random() * choices.length) : 0
    const stride = looks < choices.length ? 1 + Math.floor(this.random() * (choices.length - 1)) : 1
    for (let n = 0; n < looks; n++) {
      const c = (first + n * stride) % choices.length
      if (c === from) continue
      const more = this.addedBy(choices[c] as Int32Array, this.shifts[i]?.[c] as number, least)
      if (more > least) continue
      if ((closed[c] as number) > this.moves && more + this.crowd > 0) continue
      if (more < least) {
        least = more
        best = c
        equals = 1
      } else if (this.random() * ++equals < 1) best = c
    }
    return best
  }

  /** What it would add to the crowd; given up once it is more than `most`. */
  private addedBy(segments: Int32Array, shift: number, most: number): number {
    const { usage, goal, minutes } = this
    let sum = 0
    for (let s = 0; s < segments.length && sum <= most; s += 4) {
      const pool = segments[s] as number
      const slots = segments[s + 3] as number
      const allowed = goal[pool] as number
      const start = pool * minutes + shift
      const end = start + (segments[s + 2] as number)
      for (let at = start + (segments[s + 1] as number); at < end; at++) {
        const above = (usage[at] as number) - allowed
        const then = above + slots
        if (then > 0) sum += then * then - (above > 0 ? above * above : 0)
      }
    }
    return sum
  }

  private add(i: number, choice: number, sign: 1 | -1): void {
    const { usage, goal, minutes, placeOf } = this
    const segments = this.flat[i]?.[choice] as Int32Array
    for (let s = 0; s < segments.length; s += 4) {
      const pool = segments[s] as number
      const change = sign * (segments[s + 3] as number)
      const allowed = goal[pool] as number
      const start = pool * minutes + (this.shifts[i]?.[choice] as number)
      const end = start + (segments[s + 2] as number)
      for (let at = start + (segments[s + 1] as number); at < end; at++) {
        const before = (usage[at] as number) - allowed
        const after = before + change
        usage[at] = after + allowed
        if (before > 0) this.crowd -= before * before
        if (after > 0) {
          this.crowd += after * after
          if ((placeOf[at] as number) < 0) this.enlist(at)
        } else if ((placeOf[at] as number) >= 0) this.strike(at)
      }
    }
  }

  private enlist(at: number): void {
    this.placeOf[at] = this.fullCount
    this.full[this.fullCount++] = at
  }

  private strike(at: number): void {
    const place = this.placeOf[at] as number
    const last = this.full[--this.fullCount] as number
    this.full[place] = last
    this.placeOf[last] = place
    this.placeOf[at] = -1
  }
}

function flatOf(segments: Choice['segments'], known: Map<Choice['segments'], Int32Array>): Int32Array {
  let flat = known.get(segments)
  if (!flat) {
    flat = Int32Array.from(segments.flatMap(({ pool, from, to, slots }) => [pool, from, to, slots]))
    known.set(segments, flat)
  }
  return flat
}
