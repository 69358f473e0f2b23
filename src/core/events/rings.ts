import { groupedBy } from '../group'

/** That a run of the first work leads to a run of the second: as a step of it, or by a trigger, which is named. */
export interface LeadsTo {
  readonly from: number
  readonly to: number
  /** null: as a step. */
  readonly trigger: string | null
}

/**
 * A ring in which work starts itself again, in its order, beginning with a trigger; null: there is none. Steps alone make none: what a flow may hold is looked at elsewhere.
 */
export function ringOf(all: readonly LeadsTo[]): LeadsTo[] | null {
  const next = groupedBy(all, ({ from }) => from)
  for (const first of all) {
    if (first.trigger === null) continue
    // From what the trigger starts back to what it waits for.
    const cameBy = new Map<number, LeadsTo>([[first.to, first]])
    const queue = [first.to]
    for (let work = queue.shift(); work !== undefined; work = queue.shift()) {
      if (work === first.from) return wayTo(first, cameBy)
      for (const step of next.get(work) ?? [])
        if (!cameBy.has(step.to)) {
          cameBy.set(step.to, step)
          queue.push(step.to)
        }
    }
  }
  return null
}

function wayTo(first: LeadsTo, cameBy: ReadonlyMap<number, LeadsTo>): LeadsTo[] {
  const way: LeadsTo[] = []
  for (let step = cameBy.get(first.from) as LeadsTo; step !== first; step = cameBy.get(step.from) as LeadsTo)
    way.unshift(step)
  return [first, ...way]
}

/** `A → (nightly) → B → step C`: the works of a ring in turn, with the triggers between them in brackets. */
export const ringWords = (ring: readonly LeadsTo[], titleOf: (work: number) => string): string =>
  [
    titleOf(ring[0]?.from ?? 0),
    ...ring.flatMap(({ to, trigger }) => [...(trigger === null ? [] : [`(${trigger})`]), titleOf(to)]),
  ].join(' → ')
