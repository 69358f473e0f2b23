import { spend } from '../budget'
import { FIRST_DAY, LAST_DAY, type Day } from './days'

/** Days in a chunk: 8 words of 32 bits. Small, because most questions are about the days around one day. */
const CHUNK_DAYS = 256
const WORDS = CHUNK_DAYS / 32
/** What filling a chunk takes, whatever fills it. */
const FILL_STEPS = 32

/** No such day. */
export const NONE = NaN

/** Sets the bits of one chunk. Days outside the years 0001 to 9999 may be set; they are taken away afterwards. */
export type Fill = (chunk: Chunk) => void

/** The days `first` … `first + 255` while they are worked out. */
export class Chunk {
  readonly words = new Uint32Array(WORDS)

  constructor(readonly first: Day) {}

  get last(): Day {
    return this.first + CHUNK_DAYS - 1
  }

  /** Days outside the chunk are passed over. */
  add(day: Day): void {
    const at = day - this.first
    if (at >= 0 && at < CHUNK_DAYS) this.words[at >>> 5] = (this.words[at >>> 5] as number) | (1 << (at & 31))
  }

  /** Both ends included. */
  addRange(from: Day, to: Day): void {
    for (let day = Math.max(from, this.first); day <= Math.min(to, this.last); day++) this.add(day)
  }
}

/**
 * A set of days, worked out chunk by chunk when it is asked about and then kept. Asking about one day costs the chunk
 * that holds it and those that its rule needs, never more.
 */
export class DaySet {
  private readonly chunks = new Map<number, Uint32Array>()
  private lastIndex = NaN
  private lastWords: Uint32Array = new Uint32Array(0)

  constructor(private readonly fill: Fill) {}

  /** The bits of the chunk with this index; not to be changed. */
  words(index: number): Uint32Array {
    if (index === this.lastIndex) return this.lastWords
    let words = this.chunks.get(index)
    if (!words) {
      const chunk = new Chunk(index * CHUNK_DAYS)
      spend(FILL_STEPS)
      if (chunk.last >= FIRST_DAY && chunk.first <= LAST_DAY) {
        this.fill(chunk)
        if (chunk.first < FIRST_DAY || chunk.last > LAST_DAY) clip(chunk)
      }
      words = chunk.words
      this.chunks.set(index, words)
    }
    this.lastIndex = index
    this.lastWords = words
    return words
  }

  has(day: Day): boolean {
    const index = Math.floor(day / CHUNK_DAYS)
    const at = day - index * CHUNK_DAYS
    return ((this.words(index)[at >>> 5] as number) & (1 << (at & 31))) !== 0
  }

  /** The first member from `from` to `to`, both included; NONE if there is none. */
  first(from: Day, to: Day): Day {
    let day = Math.max(from, FIRST_DAY)
    const end = Math.min(to, LAST_DAY)
    while (day <= end) {
      const index = Math.floor(day / CHUNK_DAYS)
      const base = index * CHUNK_DAYS
      const words = this.words(index)
      let at = (day - base) >>> 5
      let word = (words[at] as number) & (-1 << ((day - base) & 31))
      for (;;) {
        if (word !== 0) {
          const found = base + at * 32 + (31 - Math.clz32(word & -word))
          return found <= end ? found : NONE
        }
        if (++at === WORDS || base + at * 32 > end) break
        word = words[at] as number
      }
      day = base + CHUNK_DAYS
    }
    return NONE
  }

  /** The last member from `from` to `to`, both included; NONE if there is none. */
  last(from: Day, to: Day): Day {
    let day = Math.min(to, LAST_DAY)
    const end = Math.max(from, FIRST_DAY)
    while (day >= end) {
      const index = Math.floor(day / CHUNK_DAYS)
      const base = index * CHUNK_DAYS
      const words = this.words(index)
      let at = (day - base) >>> 5
      let word = (words[at] as number) & (-1 >>> (31 - ((day - base) & 31)))
      for (;;) {
        if (word !== 0) {
          const found = base + at * 32 + (31 - Math.clz32(word))
          return found >= end ? found : NONE
        }
        if (--at < 0 || base + at * 32 + 31 < end) break
        word = words[at] as number
      }
      day = base - 1
    }
    return NONE
  }

  hasAny(from: Day, to: Day): boolean {
    return !Number.isNaN(this.first(from, to))
  }

  /** Membership of the 32 days from `day` on, the first in the lowest bit. */
  bits(day: Day): number {
    const index = Math.floor(day / CHUNK_DAYS)
    const at = day - index * CHUNK_DAYS
    const low = (this.words(index)[at >>> 5] as number) >>> (at & 31)
    if ((at & 31) === 0) return low
    const next = at >>> 5 === WORDS - 1 ? this.words(index + 1)[0] : this.words(index)[(at >>> 5) + 1]
    return low | ((next as number) << (32 - (at & 31)))
  }

  /** Calls `visit` with each member from `from` to `to`, both included, ascending. */
  each(from: Day, to: Day, visit: (day: Day) => void): void {
    const start = Math.max(from, FIRST_DAY)
    const end = Math.min(to, LAST_DAY)
    for (let base = Math.floor(start / 32) * 32; base <= end; base += 32) {
      const index = Math.floor(base / CHUNK_DAYS)
      let word = this.words(index)[(base - index * CHUNK_DAYS) >>> 5] as number
      if (base < start) word &= -1 << (start - base)
      for (; word !== 0; word &= word - 1) {
        const day = base + 31 - Math.clz32(word & -word)
        if (day > end) return
        visit(day)
      }
    }
  }

  /** The members from `from` to `to`, both included, ascending. */
  list(from: Day, to: Day): Day[] {
    const out: Day[] = []
    this.each(from, to, (day) => out.push(day))
    return out
  }

  count(from: Day, to: Day): number {
    let n = 0
    this.each(from, to, () => n++)
    return n
  }
}

function clip(chunk: Chunk): void {
  for (let at = 0; at < CHUNK_DAYS; at++) {
    const day = chunk.first + at
    if (day < FIRST_DAY || day > LAST_DAY) chunk.words[at >>> 5] = (chunk.words[at >>> 5] as number) & ~(1 << (at & 31))
  }
}

/** All members of `set` from one day to another that also lie in `other`, and so on: the set operations, word by word. */
export function unionOf(sets: readonly DaySet[]): DaySet {
  return new DaySet((chunk) => {
    spend(sets.length * WORDS)
    for (const set of sets) {
      const words = set.words(chunk.first / CHUNK_DAYS)
      for (let i = 0; i < WORDS; i++) chunk.words[i] = (chunk.words[i] as number) | (words[i] as number)
    }
  })
}

export function intersectionOf(sets: readonly DaySet[]): DaySet {
  return new DaySet((chunk) => {
    chunk.words.fill(0xffffffff)
    spend(sets.length * WORDS)
    for (const set of sets) {
      const words = set.words(chunk.first / CHUNK_DAYS)
      for (let i = 0; i < WORDS; i++) chunk.words[i] = (chunk.words[i] as number) & (words[i] as number)
    }
  })
}

export function complementOf(set: DaySet): DaySet {
  return new DaySet((chunk) => {
    const words = set.words(chunk.first / CHUNK_DAYS)
    for (let i = 0; i < WORDS; i++) chunk.words[i] = ~(words[i] as number)
  })
}

/** The set whose members in any chunk are those that fit. */
export function daysThat(fits: (day: Day) => boolean): DaySet {
  return new DaySet((chunk) => {
    spend(CHUNK_DAYS)
    for (let day = chunk.first; day <= chunk.last; day++) if (fits(day)) chunk.add(day)
  })
}
