import type { SystemState } from '@/core/fleet/system-state'
import type { Mark } from '@/ui/parts/state-mark'

/** The shape that stands for each state of a system. */
export const SYSTEM_MARKS: Readonly<Record<SystemState, Mark>> = {
  down: 'failed',
  look: 'late',
  well: 'succeeded',
  unknown: 'waiting',
}
