import type { Night } from '@/service/forecast/nights'
import type { Stretch } from './stretch'

/** What each tab of Tuning is given: the stretch, and what is known of it. */
export interface TabProps {
  readonly stretch: Stretch
  readonly night: Night
}
