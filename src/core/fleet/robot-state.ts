/** States of a robot, as people read them; the first that holds counts. */
export const ROBOT_STATES = {
  off: 'off',
  away: 'agent out of reach',
  'out-of-hours': 'out of its hours',
  account: 'account does not work',
  busy: 'busy',
  ready: 'ready',
} as const
export type RobotState = keyof typeof ROBOT_STATES

/** Instants are milliseconds since the epoch; null: not so. */
export interface RobotSigns {
  /** Since when it is switched off, it or its agent. */
  readonly offSince: number | null
  /** When its agent was last heard of, if it is out of reach. */
  readonly awaySince: number | null
  /** Since when it is out of its hours. */
  readonly outOfHoursSince: number | null
  /** Since when its account does not work. */
  readonly faultSince: number | null
  /** Since when it does what it does. */
  readonly busySince: number | null
  /** What it could last begin to be ready from: the end of its last work, its switching on, its agent's coming, the beginning of its hours. */
  readonly readySince: readonly (number | null)[]
}

/** What a robot is, and since when. */
export function robotState(signs: RobotSigns): { state: RobotState; sinceMs: number | null } {
  const { offSince, awaySince, outOfHoursSince, faultSince, busySince, readySince } = signs
  if (offSince !== null) return { state: 'off', sinceMs: offSince }
  if (awaySince !== null) return { state: 'away', sinceMs: awaySince }
  if (outOfHoursSince !== null) return { state: 'out-of-hours', sinceMs: outOfHoursSince }
  if (faultSince !== null) return { state: 'account', sinceMs: faultSince }
  if (busySince !== null) return { state: 'busy', sinceMs: busySince }
  const since = Math.max(...readySince.map((each) => each ?? -Infinity))
  return { state: 'ready', sinceMs: Number.isFinite(since) ? since : null }
}
