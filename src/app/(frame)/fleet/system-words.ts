import type { SystemKind, SystemState } from '@/core/fleet/system-state'
import type { Mark } from '@/ui/parts/state-mark'

/** The shape that stands for each state of a system. */
export const SYSTEM_MARKS: Readonly<Record<SystemState, Mark>> = {
  down: 'failed',
  look: 'late',
  well: 'succeeded',
  unknown: 'waiting',
}

/** In lists and fields. */
export const KIND_TITLES: Readonly<Record<SystemKind, string>> = {
  application: 'application',
  database: 'database',
  host: 'host',
  other: 'other',
}
