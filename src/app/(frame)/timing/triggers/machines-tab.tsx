'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { MachineRow } from '@/service/timing/trigger-history'
import { api } from '@/ui/api'
import { count } from '@/ui/format'
import { Empty, Row, Small, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateMark, type Mark } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'

/** Every machine of the target, and when each had it last: did every machine get it? */
export function MachinesTab({ id }: { id: number }): ReactNode {
  const { data, error } = useQuery({
    queryKey: ['triggers', id, 'machines'],
    queryFn: () => api.get<MachineRow[]>(`/triggers/${id}/machines`),
  })
  if (error) return <Trouble error={error} />
  if (!data) return null
  if (data.length === 0)
    return (
      <Empty title="No machine fits its target">
        Its job asks for a pool, an agent or labels that no enrolled machine has. Runs of this trigger would wait.
      </Empty>
    )
  const without = data.filter(({ last }) => last === null)
  const rows = [...data]
    .sort((a, b) => Number(a.last !== null) - Number(b.last !== null) || a.agent.localeCompare(b.agent))
    .map((row) => ({ ...row, id: row.agentId }))
  return (
    <>
      <Row style={{ padding: '8px 12px' }}>
        <Small>
          {without.length === 0
            ? `Every machine of its target had it in the last 60 days (${data.length}).`
            : `${count(without.length, 'machine')} of ${data.length} had it not once in the last 60 days: ${without
                .slice(0, 8)
                .map(({ agent }) => agent)
                .join(', ')}${without.length > 8 ? ' …' : ''}.`}
        </Small>
      </Row>
      <Table
        label="Machines"
        rows={rows}
        columns={[
          {
            id: 'agent',
            title: 'Machine',
            cell: (row) => <Link href={`/fleet/agents/${row.agentId}`}>{row.agent}</Link>,
          },
          {
            id: 'last',
            title: 'Last run of it',
            cell: (row) =>
              row.last ? (
                <Link href={`/runs/${row.last.id}`} style={{ display: 'inline-flex', gap: 6, alignItems: 'center' }}>
                  <StateMark mark={row.last.state as Mark} size={13} /> {row.last.state} #{row.last.id}
                </Link>
              ) : (
                <span style={{ color: 'var(--late)' }}>has not had it</span>
              ),
          },
          { id: 'at', title: 'When', cell: (row) => row.last && <Time at={row.last.at} withRelative /> },
          { id: 'runs', title: 'In 60 days', align: 'right', cell: (row) => row.runs },
        ]}
      />
    </>
  )
}
