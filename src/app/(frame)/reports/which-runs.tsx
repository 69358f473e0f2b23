'use client'
import { useQuery } from '@tanstack/react-query'
import { X } from 'lucide-react'
import type { ReactNode } from 'react'
import type { ReportFilter } from '@/core/reports/definition'
import type { Views } from '@/service/views/views'
import type { AreaRow } from '@/service/work/areas'
import type { JobRow } from '@/service/work/work'
import { api } from '@/ui/api'
import { count } from '@/ui/format'
import { Button } from '@/ui/parts/button'
import { Row, Small, Stack } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { Chosen } from './chosen'

/** Marks that come from a list of runs and are taken away here, not chosen. */
const OTHERS = {
  agent: 'machine',
  robot: 'robot',
  trigger: 'trigger',
  person: 'person',
  cause: 'cause',
  kind: 'kind',
} as const
type Other = keyof typeof OTHERS

/** Which runs a report is about: those of a view of runs, or of areas, jobs and whatever else was said. */
export function WhichRuns({
  filter,
  areas,
  isOfRuns,
  onChange,
  faultWithin,
}: {
  readonly filter: ReportFilter
  readonly areas: readonly AreaRow[]
  /** Whether it is about runs at all; if not, only areas narrow it. */
  readonly isOfRuns: boolean
  readonly onChange: (filter: ReportFilter) => void
  readonly faultWithin: (path: string) => string | undefined
}): ReactNode {
  const { data: jobs = [] } = useQuery({ queryKey: ['jobs'], queryFn: () => api.get<JobRow[]>('/jobs') })
  const { data: views } = useQuery({
    queryKey: ['views', 'runs', null],
    queryFn: () => api.get<Views>('/views?list=runs'),
    enabled: isOfRuns,
  })
  const without = (key: keyof ReportFilter): ReportFilter => {
    const { [key]: _, ...rest } = filter
    return rest
  }
  const narrowed = (key: 'job' | 'area', ids: number[]): void =>
    onChange(ids.length > 0 ? { ...without(key), [key]: ids } : without(key))
  const others = (Object.keys(OTHERS) as Other[]).filter((key) => filter[key] !== undefined)
  return (
    <Stack $gap={8}>
      {isOfRuns && (views?.views.length ?? 0) > 0 && (
        <Select
          label="Runs of a view"
          value={filter.view === undefined ? '' : String(filter.view)}
          onChange={(id: string) => onChange(id === '' ? {} : { view: Number(id) })}
          choices={[
            { id: '', title: 'no view: as said below' },
            ...(views?.views ?? []).map(({ id, title }) => ({ id: String(id), title })),
          ]}
          error={faultWithin('filter.view')}
          width="250px"
        />
      )}
      {filter.view === undefined ? (
        <Row $top $gap={12}>
          <Chosen
            label="Of areas"
            none="all areas"
            ids={filter.area ?? []}
            choices={areas.map(({ id, path }) => ({ id, title: path }))}
            onChange={(ids) => narrowed('area', ids)}
            error={faultWithin('filter.area')}
          />
          {isOfRuns && (
            <Chosen
              label="Of jobs and flows"
              none="all of them"
              ids={filter.job ?? []}
              choices={jobs.map(({ id, title }) => ({ id, title }))}
              onChange={(ids) => narrowed('job', ids)}
              error={faultWithin('filter.job')}
            />
          )}
        </Row>
      ) : (
        <Small>As the view names them when the report is made; the period is the report’s own.</Small>
      )}
      {others.length > 0 && (
        <Row $wrap $gap={4}>
          <Small>Only of</Small>
          {others.map((key) => (
            <Button key={key} kind="quiet" onPress={() => onChange(without(key))}>
              <Small>{count(filter[key]?.length ?? 0, OTHERS[key])}</Small>
              <X size={12} aria-label="Take away" />
            </Button>
          ))}
        </Row>
      )}
    </Stack>
  )
}
