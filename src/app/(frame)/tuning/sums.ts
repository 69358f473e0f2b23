import type { Forecast } from '@/core/forecast/report'
import type { TabProps } from './tab-props'

/** Seconds that runs wait, together. */
export const waitsOf = ({ waits }: Pick<Forecast, 'waits'>): number =>
  waits.reduce((sum, { seconds }) => sum + seconds, 0)

/** Deadlines whose chance is below the limit, per cent; where nothing was sampled, those that are late by usual lengths. */
export const atRiskOf = ({ deadlines }: Pick<Forecast, 'deadlines'>, below: number): number =>
  deadlines.filter(({ chance, late }) => (chance === undefined ? late : chance * 100 < below)).length

/** Slots in demand above what the pools have, at their busiest. */
export const strainOf = ({ pools }: TabProps['night']['demand']): number =>
  pools.reduce((sum, { peak, slots }) => sum + Math.max(0, peak - slots), 0)

/** How full the fullest pool is at its busiest, per cent of its slots. */
export const fullestOf = ({ pools }: TabProps['night']['demand']): number =>
  Math.max(0, ...pools.map(({ peak, slots }) => Math.round((100 * peak) / slots)))
