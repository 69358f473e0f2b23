/** What is looked at in a queue. Counts of the last hour, and of now. */
export interface BacklogSigns {
  readonly waiting: number
  readonly arrivedPerHour: number
  readonly endedPerHour: number
  readonly overdue: number
  /** Rejected and failed ones that nobody has looked at. */
  readonly bad: number
  /** Whether the longest waiting came more than an hour ago. */
  readonly isOld: boolean
}

export const BACKLOG_TROUBLES = ['overdue', 'rejected', 'grows'] as const
export type BacklogTrouble = (typeof BACKLOG_TROUBLES)[number]

/** So many wait before somebody is told that more come than are worked off. */
export const MANY_WAIT = 20

/** What a person should know of a queue; empty: nothing. `mostBad`: up to so many rejected or failed ones nobody is told. */
export function backlogTroubles(signs: BacklogSigns, mostBad: number): BacklogTrouble[] {
  const grows = signs.waiting >= MANY_WAIT && signs.isOld && signs.arrivedPerHour > signs.endedPerHour
  return [
    ...(signs.overdue > 0 ? (['overdue'] as const) : []),
    ...(signs.bad > mostBad ? (['rejected'] as const) : []),
    ...(grows ? (['grows'] as const) : []),
  ]
}
