'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { NoticeEvent } from '@/core/work/notice'
import type { NoticeSend } from '@/service/notices/notices'
import { api } from '@/ui/api'
import { Mute, Small } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateWord } from '@/ui/parts/state-mark'
import { Table, type Column } from '@/ui/parts/table'
import { Ago, Time } from '@/ui/parts/time'
import { EVENT_WORDS } from '@/app/shared/work/words'

const RUN: Column<NoticeSend> = {
  id: 'run',
  title: 'Run',
  cell: (row) =>
    row.runId !== null && (
      <Link href={`/runs/${row.runId}`}>
        {row.title} #{row.runId}
      </Link>
    ),
}

/** What was sent, or is being tried, and what came of it. */
export function SentNotices({ sends, withRun }: { sends: readonly NoticeSend[]; withRun: boolean }): ReactNode {
  return (
    <Table
      label="Notices sent"
      rows={sends}
      columns={[
        { id: 'made', title: 'When', cell: (row) => <Time at={row.madeAt} /> },
        { id: 'notice', title: 'Notice', cell: (row) => row.notice },
        { id: 'event', title: 'Because', cell: (row) => EVENT_WORDS[row.event as NoticeEvent] },
        ...(withRun ? [RUN] : []),
        {
          id: 'state',
          title: 'State',
          cell: (row) => (
            <StateWord
              mark={row.state === 'sent' ? 'succeeded' : row.state === 'waiting' ? 'waiting' : 'failed'}
              word={row.state === 'waiting' && row.attempts > 0 ? `try ${row.attempts} failed` : row.state}
            />
          ),
        },
        { id: 'what', title: 'What', cell: (row) => row.what },
        {
          id: 'next',
          title: '',
          cell: (row) => (
            <Small>
              {row.state === 'waiting' && row.attempts > 0 && (
                <>
                  next try <Ago at={row.nextAt} />
                </>
              )}
            </Small>
          ),
        },
      ]}
    />
  )
}

/** What was told of a run: of a step, what was told of its flow. Asked again while it is looked at: sending is no event of the run. */
export function useRunNotices(runId: number): { readonly count: number; readonly content: ReactNode } {
  const { data = [], isSuccess } = useQuery({
    queryKey: ['notices', 'sends', runId],
    queryFn: () => api.get<NoticeSend[]>(`/notice-sends?run=${runId}`),
    refetchInterval: 5000,
  })
  const content =
    data.length > 0 ? (
      <SentNotices sends={data} withRun={false} />
    ) : (
      isSuccess && (
        <Mute style={{ padding: 16 }}>Nobody was told anything of it. Settings, Notices says who is told what.</Mute>
      )
    )
  return { count: data.length, content }
}
