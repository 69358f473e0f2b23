import { groupedBy } from '../group'

/** Failures this long after a change may have to do with it. */
const REACH_MS = 24 * 3_600_000

/** Something that was changed: `type id` of what it was. */
export interface Changed {
  readonly object: string
  readonly atMs: number
}

/** A run that failed or was lost, with all that it touched, each as `type id`. */
export interface FailedRun {
  readonly id: number
  readonly atMs: number
  readonly touched: readonly string[]
}

/**
 * For each change the runs that failed within a day after it and touched what it changed, before that was changed again; in order of time. More than that they have in common is not said.
 */
export function followedBy<C extends Changed>(
  changes: readonly C[],
  failures: readonly FailedRun[],
): ReadonlyMap<C, readonly number[]> {
  const byObject = groupedBy(
    [...changes].sort((a, b) => a.atMs - b.atMs),
    ({ object }) => object,
  )
  const followed = new Map<C, number[]>(changes.map((change) => [change, []]))
  for (const { id, atMs, touched } of [...failures].sort((a, b) => a.atMs - b.atMs || a.id - b.id))
    for (const object of new Set(touched)) {
      const last = byObject.get(object)?.findLast((change) => change.atMs < atMs)
      if (last && atMs - last.atMs <= REACH_MS) followed.get(last)?.push(id)
    }
  return followed
}
