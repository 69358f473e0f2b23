'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { ResultRow } from '@/service/reports/results'
import { api } from '@/ui/api'
import { NoSuch } from '@/ui/parts/no-such'
import { ReportScreen } from '../../[id]/report-screen'

/** One result, by its number alone, as links in mails have it. */
export function ResultScreen({ id }: { id: number }): ReactNode {
  const { data, error } = useQuery({
    queryKey: ['reports', 'state', id],
    queryFn: () => api.get<ResultRow>(`/report-results/${id}/state`),
  })
  if (error) return <NoSuch error={error} href="/reports" back="Reports" />
  return data ? <ReportScreen id={data.reportId} resultId={id} /> : null
}
