import type { PeriodSpec, WholeUnit } from '@/core/reports/period'

const UNITS: Record<WholeUnit, string> = {
  day: 'yesterday',
  week: 'last week',
  month: 'last month',
  quarter: 'last quarter',
  year: 'last year',
}
const CURRENT: Record<WholeUnit, string> = {
  day: 'today so far',
  week: 'this week so far',
  month: 'this month so far',
  quarter: 'this quarter so far',
  year: 'this year so far',
}

/** What a report is about, in words. */
export function periodWords(spec: PeriodSpec): string {
  if ('last' in spec) return UNITS[spec.last]
  if ('current' in spec) return CURRENT[spec.current]
  if ('night' in spec) return 'last night'
  if ('days' in spec) return spec.days === 1 ? 'today so far' : `the last ${spec.days} days`
  return `${spec.from} to ${spec.to}`
}

/** Periods to choose from; `days` and `between` ask for more. */
export const PERIODS: readonly { readonly id: string; readonly title: string }[] = [
  { id: 'night last', title: 'last night' },
  ...Object.entries(UNITS).map(([unit, title]) => ({ id: `last ${unit}`, title })),
  ...Object.entries(CURRENT).map(([unit, title]) => ({ id: `current ${unit}`, title })),
  { id: 'days', title: 'the last days …' },
  { id: 'between', title: 'from a day to a day …' },
]

export function idOfPeriod(spec: PeriodSpec): string {
  if ('last' in spec) return `last ${spec.last}`
  if ('current' in spec) return `current ${spec.current}`
  if ('night' in spec) return 'night last'
  return 'days' in spec ? 'days' : 'between'
}
