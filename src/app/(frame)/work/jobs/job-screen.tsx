'use client'
import { useQuery } from '@tanstack/react-query'
import Link from 'next/link'
import { useMemo, type ReactNode } from 'react'
import type { JobContent } from '@/core/work/job'
import type { AreaRow, JobFull } from '@/service/work'
import { api } from '@/ui/api'
import { useAddress } from '@/ui/hooks/address'
import { Mute, Page, Trouble } from '@/ui/parts/layout'
import { JobEditor } from './job-editor'

export function NewJobScreen(): ReactNode {
  const { values } = useAddress()
  const { data: areas } = useQuery({ queryKey: ['areas'], queryFn: () => api.get<AreaRow[]>('/areas') })
  const blank = useMemo<JobContent | null>(() => {
    if (!areas) return null
    return {
      title: '',
      notes: '',
      areaId: Number(values.area) || areas[0]?.id || 0,
      active: true,
      definition: {
        action: { kind: 'command', command: '' },
        target: { pool: '' },
        slots: 1,
        minVersion: null,
        environment: {},
        folder: null,
        inputs: [],
        timeLimitSeconds: 3600,
        retries: 0,
        retryDelaySeconds: 30,
        success: { exitCodes: [0], must: null, mustNot: null },
        priority: 'normal',
        keeping: { board: 'after-hours', boardHours: 24, historyDays: 400, outputDays: 60 },
      },
    }
  }, [areas, values.area])
  if (!blank) return <Page aria-busy="true" />
  return <JobEditor job={null} initial={blank} />
}

export function JobScreen({ id }: { id: number }): ReactNode {
  const { data: job, error } = useQuery({
    queryKey: ['jobs', id],
    queryFn: () => api.get<JobFull>(`/jobs/${id}`),
    refetchOnWindowFocus: false,
    staleTime: Infinity,
    refetchOnMount: 'always',
  })
  if (error) {
    return (
      <Page>
        <Mute>
          <Link href="/work" data-back>
            Work
          </Link>
        </Mute>
        <Trouble error={error} />
      </Page>
    )
  }
  if (!job) return <Page aria-busy="true" />
  const { title, notes, areaId, active, definition } = job
  return <JobEditor key={id} job={job} initial={{ title, notes, areaId, active, definition }} />
}
