'use client'
import { useQuery } from '@tanstack/react-query'
import { useMemo, type ReactNode } from 'react'
import { jobDefinitionSchema, type JobContent } from '@/core/work/job'
import type { HasLevel } from '@/service/base/area-rights'
import { MayHere } from '@/ui/hooks/me'
import type { AreaRow } from '@/service/work/areas'
import type { JobFull } from '@/service/work/work'
import { designable } from '@/app/shared/work/designable'
import { api } from '@/ui/api'
import { useAddress } from '@/ui/hooks/address'
import { Page } from '@/ui/parts/layout'
import { NoSuch } from '@/ui/parts/no-such'
import { contentOf, JobEditor } from './job-editor'

/** What a job is like where nothing is said. */
const DEFAULTS = jobDefinitionSchema.parse({ action: { kind: 'wait', minutes: 1 }, target: { pool: 'any' } })

export function NewJobScreen(): ReactNode {
  const { values } = useAddress()
  const { data: areas } = useQuery({ queryKey: ['areas'], queryFn: () => api.get<AreaRow[]>('/areas') })
  const blank = useMemo<JobContent | null>(() => {
    if (!areas) return null
    return {
      title: '',
      notes: '',
      areaId: Number(values.area) || designable(areas)[0]?.id || 0,
      active: true,
      definition: {
        ...DEFAULTS,
        action: { kind: 'command', command: '' },
        system: values.system ?? null,
        target: values.robot ? { robot: values.robot } : values.agent ? { agent: values.agent } : { pool: '' },
      },
    }
  }, [areas, values.area, values.agent, values.robot, values.system])
  if (!blank) return <Page aria-busy="true" />
  return <JobEditor job={null} initial={blank} />
}

export function JobScreen({ id }: { id: number }): ReactNode {
  const { data: job, error } = useQuery({
    queryKey: ['jobs', id],
    queryFn: () => api.get<JobFull & HasLevel>(`/jobs/${id}`),
    refetchOnWindowFocus: false,
    staleTime: Infinity,
    refetchOnMount: 'always',
  })
  if (error) return <NoSuch href="/work" back="Work" error={error} />
  if (!job) return <Page aria-busy="true" />
  return (
    <MayHere level={job.may}>
      <JobEditor key={id} job={job} initial={contentOf(job)} />
    </MayHere>
  )
}
