/** A computation was given up: it took more steps than it may. The message is a sentence for a person. */
export class TooMuch extends Error {}

interface Budget {
  left: number
  readonly most: number
}

let current: Budget | null = null

/**
 * Does the work with at most so many steps, counted by `spend` wherever the length of a computation depends on what somebody wrote: days looked at, times written,
 * members counted. The work is synchronous. Throws TooMuch; an inner budget is part of the outer one.
 */
export function within<T>(most: number, work: () => T): T {
  const outer = current
  const own = { left: Math.min(most, outer?.left ?? most), most: Math.min(most, outer?.left ?? most) }
  current = own
  try {
    return work()
  } finally {
    current = outer
    if (outer) outer.left -= own.most - own.left
  }
}

/** Takes steps from the budget, if there is one. */
export function spend(steps: number): void {
  if (current === null) return
  current.left -= steps
  if (current.left < 0)
    throw new TooMuch(
      `This takes more than ${current.most.toLocaleString('en')} steps to work out, the most there may be. Write it with fewer parts, or coarser ones.`,
    )
}
