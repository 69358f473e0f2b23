import type { ReportRow } from '@/service/reports/reports'
import { count } from '@/ui/format'

/** Who reads a report beside its owner. */
export function readersWords({ readers: { people, roles, areas } }: Pick<ReportRow, 'readers'>): string {
  const parts = [
    ...(people.length > 0 ? [people.length === 1 ? 'one person' : `${people.length} people`] : []),
    ...roles.map((role) => `${role}s`),
    ...(areas.length > 0 ? [`who sees ${count(areas.length, 'area')}`] : []),
  ]
  return parts.length === 0 ? 'its owner alone' : parts.join(', ')
}
