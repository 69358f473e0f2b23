import { compareTurns, levelAt, nextLevelChangeMs, type Turn } from './order'

/** A ready run in a queue. */
export interface Waiting extends Turn {
  level: number
  /** Taken out, and not yet swept from the list. */
  isGone: boolean
}

/** Runs by turn, kept in order from one placing to the next: what is new is merged in, what is gone swept out, and nothing else is looked at. */
export class Queue<T extends Waiting> {
  private ordered: T[] = []
  private fresh: T[] = []
  private gone = 0
  private nextLevelChange = Infinity
  private orderedAtMs = -Infinity
  /** How many are in it. */
  size = 0

  add(entry: T): void {
    this.fresh.push(entry)
    this.size++
  }

  remove(entry: T): void {
    entry.isGone = true
    this.gone++
    this.size--
  }

  /** Nothing is in it any more: what is gone is let go of. */
  clear(): void {
    this.ordered = []
    this.fresh = []
    this.gone = 0
    this.nextLevelChange = Infinity
  }

  inOrder(nowMs: number): readonly T[] {
    if (nowMs >= this.nextLevelChange || nowMs < this.orderedAtMs) {
      this.nextLevelChange = Infinity
      this.ordered = this.sorted([...this.ordered, ...this.fresh].filter(isPresent), nowMs)
      this.orderedAtMs = nowMs
    } else if (this.fresh.length > 0 || this.gone > 0) {
      const kept = this.gone > 0 ? this.ordered.filter(isPresent) : this.ordered
      this.ordered = merged(kept, this.sorted(this.fresh.filter(isPresent), nowMs))
    }
    this.fresh = []
    this.gone = 0
    return this.ordered
  }

  private sorted(entries: T[], nowMs: number): T[] {
    for (const entry of entries) {
      entry.level = levelAt(entry.run, nowMs)
      this.nextLevelChange = Math.min(this.nextLevelChange, nextLevelChangeMs(entry.run, nowMs))
    }
    return entries.sort(compareTurns)
  }
}

const isPresent = (entry: Waiting): boolean => !entry.isGone

function merged<T extends Waiting>(left: T[], right: T[]): T[] {
  if (right.length === 0) return left
  const out: T[] = []
  let j = 0
  for (const entry of left) {
    let other = right[j]
    while (other && compareTurns(other, entry) < 0) {
      out.push(other)
      other = right[++j]
    }
    out.push(entry)
  }
  for (; j < right.length; j++) out.push(right[j] as T)
  return out
}

interface Cursor<T> {
  readonly list: readonly T[]
  at: number
  /** `list[at]` */
  turn: T
}

/** Goes through several lists that are each in order, in the order of all; a list can be left before its end. */
export class Merge<T extends Turn> {
  /** A binary heap: each cursor's turn comes before those of the two at 2i + 1 and 2i + 2. */
  private readonly heap: Cursor<T>[] = []

  constructor(lists: readonly (readonly T[])[]) {
    for (const list of lists) if (list[0]) this.heap.push({ list, at: 0, turn: list[0] })
    for (let i = (this.heap.length >> 1) - 1; i >= 0; i--) this.sink(i)
  }

  /** The first of all; undefined: none is left. */
  get first(): T | undefined {
    return this.heap[0]?.turn
  }

  /** Goes on behind the first, or leaves its whole list. */
  next(isListLeft: boolean): void {
    const top = this.heap[0]
    if (!top) return
    const following = isListLeft ? undefined : top.list[++top.at]
    if (following) top.turn = following
    else {
      const last = this.heap.pop()
      if (last && last !== top) this.heap[0] = last
    }
    this.sink(0)
  }

  private sink(from: number): void {
    const { heap } = this
    const sinking = heap[from]
    if (!sinking) return
    let at = from
    for (;;) {
      let child = 2 * at + 1
      let least = heap[child]
      if (!least) break
      const right = heap[child + 1]
      if (right && compareTurns(right.turn, least.turn) < 0) {
        child++
        least = right
      }
      if (compareTurns(sinking.turn, least.turn) <= 0) break
      heap[at] = least
      at = child
    }
    heap[at] = sinking
  }
}
