import type { RobotState } from '@/core/fleet/robot-state'
import type { Mark } from '@/ui/parts/state-mark'

/** The shape that stands for each state of a robot. */
export const ROBOT_MARKS: Readonly<Record<RobotState, Mark>> = {
  off: 'off',
  away: 'away',
  'out-of-hours': 'held',
  account: 'failed',
  busy: 'busy',
  ready: 'ready',
}
