'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { ApiProblem } from '@/ui/api'
import { api } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { Button } from '@/ui/parts/button'
import { Card } from '@/ui/parts/card'
import { Small } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'
import { Ago, Time } from '@/ui/parts/time'

interface SessionRow {
  readonly id: number
  readonly address: string
  readonly userAgent: string
  readonly createdAt: string
  readonly lastSeenAt: string
  readonly current: boolean
}

/** Where one is signed in. */
export function MySessions(): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const { data = [] } = useQuery({ queryKey: ['sessions'], queryFn: () => api.get<SessionRow[]>('/me/sessions') })
  const end = (id: number): void => {
    api.delete(`/me/sessions/${id}`).then(
      () => client.invalidateQueries({ queryKey: ['sessions'] }),
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <Card>
      <h2>Where you are signed in</h2>
      <Table
        label="Sessions"
        rows={data}
        columns={[
          { id: 'address', title: 'From', cell: (s) => s.address },
          { id: 'agent', title: 'With', cell: (s) => <Small title={s.userAgent}>{s.userAgent}</Small> },
          { id: 'since', title: 'Since', cell: (s) => <Time at={s.createdAt} /> },
          { id: 'seen', title: 'Last seen', cell: (s) => <Ago at={s.lastSeenAt} /> },
          {
            id: 'end',
            title: '',
            cell: (s) =>
              s.current ? (
                <Small>this one</Small>
              ) : (
                <Button kind="quiet" onPress={() => end(s.id)}>
                  End
                </Button>
              ),
          },
        ]}
      />
    </Card>
  )
}
