import { useQuery } from '@tanstack/react-query'
import type { JobDrift } from '@/core/stats/drift'
import { api } from '@/ui/api'

/** Jobs that have become slower or quicker over the last weeks, by their ids. */
export function useDrifts(): ReadonlyMap<number, JobDrift> {
  const { data = [] } = useQuery({
    queryKey: ['drifts'],
    queryFn: () => api.get<JobDrift[]>('/drifts'),
    staleTime: 600_000,
  })
  return new Map(data.map((drift) => [drift.jobId, drift]))
}

/** `+38 % in 56 days`. */
export const driftWords = ({ change, days }: JobDrift): string =>
  `${change > 0 ? '+' : '−'}${Math.round(Math.abs(change) * 100)} % in ${days} days`
