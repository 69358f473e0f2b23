'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { StoryLine } from '@/service/flows/flow-run-view'
import type { FlowRunFull } from '@/service/runs/run-page'
import { api } from '@/ui/api'
import { Mute } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Table } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'

/** What happened, oldest first: beginnings, ends, and what people did. */
export function FlowStory({ run }: { run: FlowRunFull }): ReactNode {
  const { data = [], isSuccess } = useQuery({
    queryKey: ['run', run.id, 'story'],
    queryFn: () => api.get<StoryLine[]>(`/runs/${run.id}/story`),
  })
  if (isSuccess && data.length === 0) return <Mute style={{ padding: 16 }}>Nothing has happened yet.</Mute>
  return (
    <Table
      label="Story"
      rows={data.map((line, id) => ({ ...line, id }))}
      columns={[
        { id: 'at', title: 'When', cell: (line) => <Time at={line.at} /> },
        { id: 'step', title: 'Step', cell: (line) => <b>{line.step ?? ''}</b> },
        { id: 'what', title: 'What', cell: (line) => line.what },
        { id: 'by', title: 'By', cell: (line) => line.by ?? '' },
        {
          id: 'run',
          title: 'Run',
          cell: (line) => line.runId && <Link href={`/runs/${line.runId}`}>#{line.runId}</Link>,
        },
      ]}
    />
  )
}
