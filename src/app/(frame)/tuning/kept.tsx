'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { Names } from '@/service/forecast/nights'
import type { Outcome, ProposalRow } from '@/service/forecast/proposals'
import { api, type ApiProblem } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Panel, Row, Small, Trouble } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'
import { triggerTitle } from './words'

const side = ({ deadlines, inTime, peak }: Outcome['before']): string =>
  [deadlines > 0 ? `${inTime} of ${deadlines} in time` : 'no deadline yet', peak === null ? '' : `peak ${peak}`]
    .filter((part) => part !== '')
    .join(' · ')

/** What was taken over, by whom, what came of it in the nights since; and how to undo it. */
export function Kept({ names }: { names: Names }): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const { why } = useMay('design')
  const [trouble, setTrouble] = useState<unknown>(null)
  const { data = [] } = useQuery({
    queryKey: ['tuning', 'proposals'],
    queryFn: () => api.get<ProposalRow[]>('/tuning/proposals'),
  })
  if (data.length === 0) return null
  const undo = (id: number): void => {
    api.post<NonNullable<ProposalRow['undone']>>(`/tuning/proposals/${id}/undo`).then(
      ({ back, kept }) => {
        say(
          `${count(back.length, 'start')} put back.${kept.length > 0 ? ` Not: ${kept.map((each) => `${triggerTitle(names, each.trigger)} (${each.why})`).join(', ')}` : ''}`,
        )
        void client.invalidateQueries({ queryKey: ['tuning'] })
      },
      (problem: ApiProblem) => setTrouble(problem),
    )
  }
  return (
    <Panel style={{ flex: 'none' }}>
      <Row style={{ padding: '8px 12px' }}>
        <h2>Taken over</h2>
      </Row>
      <Trouble error={trouble} />
      <Table
        label="Proposals that were taken over"
        rows={data}
        columns={[
          { id: 'when', title: 'When', cell: (row) => <Time at={row.takenAt} /> },
          { id: 'who', title: 'By', cell: (row) => row.takenBy },
          {
            id: 'moves',
            title: 'Moved',
            maxWidth: 260,
            cell: (row) => {
              const all = row.taken.map((trigger) => triggerTitle(names, trigger)).join(', ')
              return <span title={all}>{all}</span>
            },
          },
          {
            id: 'promised',
            title: 'Promised',
            cell: ({ answer: { before, after } }) =>
              `strain ${before.strain} → ${after.strain}, late ${before.late} → ${after.late}`,
          },
          { id: 'before', title: 'Two weeks before', cell: (row) => <Small>{side(row.came.before)}</Small> },
          { id: 'since', title: 'Since', cell: (row) => <Small>{side(row.came.since)}</Small> },
          {
            id: 'undo',
            title: '',
            cell: (row) =>
              row.undoneAt ? (
                <Small>
                  undone by {row.undoneBy} <Time at={row.undoneAt} />
                </Small>
              ) : (
                <Button kind="quiet" onPress={() => undo(row.id)} whyNot={why}>
                  Undo
                </Button>
              ),
          },
        ]}
      />
    </Panel>
  )
}
