'use client'
import { useQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import type { ReactNode } from 'react'
import type { JobDrift } from '@/core/stats/drift'
import type { ScheduleCost } from '@/service/forecast/schedules'
import { api } from '@/ui/api'
import { duration } from '@/ui/format'
import { Mute, Panel, Row, Small, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateMark } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'
import type { TabProps } from './tab-props'
import { percent, triggerTitle } from './words'

interface Slower extends JobDrift {
  readonly title?: string
}

/** What every schedule costs in a day, whom it keeps waiting, and which work takes longer and longer. */
export function SchedulesTab({ night: { names } }: TabProps): ReactNode {
  const router = useRouter()
  const { data, error } = useQuery({
    queryKey: ['tuning', 'schedules'],
    queryFn: () => api.get<ScheduleCost[]>('/tuning/schedules'),
    staleTime: 60_000,
  })
  return (
    <>
      <Trouble error={error} />
      <SlowerThanUsual />
      <Panel style={{ flex: 'none' }}>
        <Row style={{ padding: '8px 12px' }} $wrap>
          <h2>What schedules cost in a day</h2>
          <Small>by usual lengths, the costliest first</Small>
        </Row>
        {!data ? (
          <Mute style={{ padding: '0 12px 10px' }}>A day is played …</Mute>
        ) : (
          <Table
            label="Schedules by cost"
            rows={data}
            onOpen={(row) => router.push(`/timing/triggers/${row.id}`)}
            columns={[
              {
                id: 'title',
                title: 'Trigger',
                maxWidth: 260,
                cell: (row) => (
                  <span style={{ display: 'inline-flex', gap: 7, alignItems: 'center' }}>
                    <StateMark mark={row.isTooOften ? 'late' : 'succeeded'} />
                    <Link href={`/timing/triggers/${row.id}`}>
                      <b>{row.title}</b>
                    </Link>
                  </span>
                ),
              },
              { id: 'says', title: 'When', maxWidth: 240, cell: (row) => <Small title={row.says}>{row.says}</Small> },
              { id: 'machines', title: 'Machines', align: 'right', cell: (row) => row.machines },
              { id: 'runs', title: 'Runs a day', align: 'right', cell: (row) => row.runsADay },
              { id: 'minutes', title: 'Slot-minutes', align: 'right', cell: (row) => row.slotMinutes },
              {
                id: 'share',
                title: 'Of its pool',
                align: 'right',
                cell: (row) => (
                  <span title={row.pool || 'named machines'}>
                    {(row.share * 100).toFixed(row.share < 0.1 ? 1 : 0)} %
                  </span>
                ),
              },
              {
                id: 'delays',
                title: 'Decides the end of',
                maxWidth: 220,
                cell: (row) => <Small>{row.delays.map((trigger) => triggerTitle(names, trigger)).join(', ')}</Small>,
              },
              {
                id: 'proposed',
                title: 'Rather',
                cell: (row) =>
                  row.proposed && (
                    <Small>
                      every {Math.round(row.proposed.gapSeconds / 60)} min: {row.proposed.slotMinutes} slot-minutes
                    </Small>
                  ),
              },
            ]}
          />
        )}
      </Panel>
    </>
  )
}

/** Jobs and flows whose lengths grow from week to week. */
function SlowerThanUsual(): ReactNode {
  const router = useRouter()
  const { data: drifts = [] } = useQuery({ queryKey: ['drifts'], queryFn: () => api.get<Slower[]>('/drifts') })
  const { data: jobs = [] } = useQuery({
    queryKey: ['jobs'],
    queryFn: () => api.get<{ id: number; title: string; isFlow: boolean; usualMs: number | null }[]>('/jobs'),
    enabled: drifts.length > 0,
  })
  const known = new Map(jobs.map((job) => [job.id, job]))
  const rows = drifts
    .filter(({ change }) => change > 0)
    .sort((a, b) => b.change - a.change)
    .map((drift) => ({ ...drift, id: drift.jobId, job: known.get(drift.jobId) }))
  if (rows.length === 0) return null
  return (
    <Panel style={{ flex: 'none' }}>
      <Row style={{ padding: '8px 12px' }} $wrap>
        <h2>Slower than usual</h2>
        <Small>by the medians of their days; the forecast carries the trend on</Small>
      </Row>
      <Table
        label="Slower than usual"
        rows={rows}
        onOpen={({ job }) => job && router.push(job.isFlow ? `/work/flows/${job.id}` : `/work/jobs/${job.id}`)}
        columns={[
          { id: 'title', title: 'Work', cell: ({ job, jobId }) => <b>{job?.title ?? `#${jobId}`}</b> },
          { id: 'usual', title: 'Takes now', align: 'right', cell: ({ job }) => duration(job?.usualMs) },
          { id: 'change', title: 'Longer by', align: 'right', cell: ({ change }) => percent(change) },
          { id: 'days', title: 'Over', align: 'right', cell: ({ days }) => `${days} days` },
          {
            id: 'week',
            title: 'In four weeks, if it goes on',
            align: 'right',
            cell: ({ job, change, days }) =>
              job?.usualMs ? duration(job.usualMs * (1 + ((change / (1 + change)) * 28) / Math.max(1, days))) : '',
          },
        ]}
      />
    </Panel>
  )
}
