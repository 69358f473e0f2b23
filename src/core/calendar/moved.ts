import { spend } from '../budget'
import { DaySet, intersectionOf, NONE } from './day-set'
import { dayOf, civil, type Day } from './days'
import { REACH_DAYS, type RollTo } from './rule'

/** Each day of the set moved by n days. */
export function shifted(of: DaySet, days: number): DaySet {
  return new DaySet((chunk) => {
    chunk.words.forEach((_, i) => (chunk.words[i] = of.bits(chunk.first + i * 32 - days)))
  })
}

/**
 * Each day of `of` moved to the n-th member of `counting` after it (n < 0: before it). A member c is reached by the days between its
 * n-th predecessor (included) and the one after that (excluded), so whole stretches of `of` are asked about at once.
 */
export function shiftedCounting(of: DaySet, n: number, counting: DaySet): DaySet {
  if (n === 0) return intersectionOf([of, counting])
  return new DaySet((chunk) => {
    const members =
      n > 0 ? counting.list(chunk.first - REACH_DAYS, chunk.last) : counting.list(chunk.first, chunk.last + REACH_DAYS)
    spend(members.length)
    members.forEach((member, k) => {
      if (member < chunk.first || member > chunk.last) return
      const [from, to] =
        n > 0
          ? [members[k - n] ?? -Infinity, (members[k - n + 1] ?? -Infinity) - 1]
          : [(members[k - n - 1] ?? Infinity) + 1, members[k - n] ?? Infinity]
      if (of.hasAny(Math.max(from, member - REACH_DAYS), Math.min(to, member + REACH_DAYS))) chunk.add(member)
    })
  })
}

/** Where a day goes by `shift` with counting; NONE if there is no such member within reach. */
export function shiftTarget(day: Day, n: number, counting: DaySet): Day {
  if (n === 0) return counting.has(day) ? day : NONE
  let at = day
  for (let left = Math.abs(n); left > 0; left--) {
    at = n > 0 ? counting.first(at + 1, day + REACH_DAYS) : counting.last(day - REACH_DAYS, at - 1)
    if (Number.isNaN(at)) return NONE
  }
  return at
}

/** Where a day goes by `roll`; NONE if nowhere. */
export function rollTarget(day: Day, onto: DaySet, to: RollTo): Day {
  if (onto.has(day)) return day
  const next = to === 'previous' ? NONE : onto.first(day + 1, day + REACH_DAYS)
  const previous = to === 'next' ? NONE : onto.last(day - REACH_DAYS, day - 1)
  switch (to) {
    case 'next':
      return next
    case 'previous':
      return previous
    case 'nearest':
      if (Number.isNaN(next)) return previous
      return Number.isNaN(previous) || next - day <= day - previous ? next : previous
    case 'next-in-month':
      return !Number.isNaN(next) && sameMonth(next, day) ? next : previous
  }
}

function sameMonth(a: Day, b: Day): boolean {
  const [left, right] = [civil(a), civil(b)]
  return left.year === right.year && left.month === right.month
}

/**
 * Days of `of` that do not lie in `onto` move onto it. A member of `onto` receives the days of the gap before it and of the gap after it; which part of each
 * depends on `to`, and is always one stretch.
 */
export function rolled(of: DaySet, onto: DaySet, to: RollTo): DaySet {
  return new DaySet((chunk) => {
    // Beyond twice the reach a neighbour plays no part: no day is within reach of both.
    let before = onto.last(chunk.first - 2 * REACH_DAYS - 2, chunk.first - 1)
    let member = onto.first(chunk.first, chunk.last)
    while (!Number.isNaN(member)) {
      spend(16)
      const after = onto.first(member + 1, member + 2 * REACH_DAYS + 2)
      if (of.has(member) || receives(of, before, member, after, to)) chunk.add(member)
      before = member
      member = after > chunk.last ? NONE : after
    }
  })
}

function receives(of: DaySet, before: Day, member: Day, after: Day, to: RollTo): boolean {
  const gapBefore = Math.max(member - REACH_DAYS, Number.isNaN(before) ? -Infinity : before + 1)
  const gapAfter = Math.min(member + REACH_DAYS, Number.isNaN(after) ? Infinity : after - 1)
  switch (to) {
    case 'next':
      return of.hasAny(gapBefore, member - 1)
    case 'previous':
      return of.hasAny(member + 1, gapAfter)
    case 'nearest': {
      // A tie goes to the later day: this member when it lies after, the other when it lies before.
      const from = Number.isNaN(before) ? gapBefore : Math.max(gapBefore, Math.ceil((before + member) / 2))
      const until = Number.isNaN(after) ? gapAfter : Math.min(gapAfter, Math.ceil((member + after) / 2) - 1)
      return of.hasAny(from, member - 1) || of.hasAny(member + 1, until)
    }
    case 'next-in-month': {
      const { year, month } = civil(member)
      const from = Math.max(gapBefore, dayOf(year, month, 1))
      const next = Number.isNaN(after) ? null : civil(after)
      const until = next ? Math.min(gapAfter, dayOf(next.year, next.month, 1) - 1) : gapAfter
      return of.hasAny(from, member - 1) || of.hasAny(member + 1, until)
    }
  }
}
