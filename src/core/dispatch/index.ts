import { Board } from './board'
import type { Fleet, Placing, ReadyRun } from './types'

export { Board } from './board'
export { compareVersions, waitsForReach, whatLacks } from './eligible'
export { whomToAsk, type DeskState } from './asking'
export { describeReason } from './describe'
export { isMeant, isRobotTarget, wantedBy } from './target'
export * from './types'

/**
 * Who goes next, and where: the fleet, what is ready and an instant → which run starts on which agent, and for every other run
 * why not. Deterministic to the last tie.
 */
export function place(fleet: Fleet, ready: readonly ReadyRun[], nowMs: number): Placing {
  const board = new Board()
  board.setLocks(fleet.locks)
  for (const agent of fleet.agents) board.putAgent(agent)
  for (const run of ready) board.putRun(run)
  return board.place(nowMs)
}
