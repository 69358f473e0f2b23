'use client'
import type { ReactNode } from 'react'
import type { ForecastRun } from '@/core/forecast/report'
import type { Night } from '@/service/forecast/nights'
import { duration } from '@/ui/format'
import { Button } from '@/ui/parts/button'
import { Panel, Row, Small, Spring } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'
import { jobTitle, triggerTitle } from './words'

/** What runs or waits in a pool in a minute, by the forecast. */
export function RunsThen({
  title,
  runs,
  at,
  pool,
  night: { names, poolOf },
  onClose,
}: {
  title: string
  runs: readonly ForecastRun[]
  at: number
  pool: string
  night: Night
  onClose: () => void
}): ReactNode {
  const rows = runs
    .filter(({ target, ready, end }) => {
      const isIn = (poolOf[target] ?? '') === pool
      return isIn && Date.parse(ready) < at + 60_000 && (end === null || Date.parse(end) > at)
    })
    .map((run) => ({ ...run, id: run.number }))
  return (
    <Panel style={{ flex: 'none' }}>
      <Row style={{ padding: '8px 12px' }}>
        <h2>{title}</h2>
        <Spring />
        <Button kind="quiet" onPress={onClose}>
          Hide
        </Button>
      </Row>
      {rows.length === 0 ? (
        <Small style={{ padding: '0 12px 10px', display: 'block' }}>By the forecast nothing runs or waits then.</Small>
      ) : (
        <Table
          label={title}
          rows={rows}
          columns={[
            { id: 'job', title: 'Job', cell: (row) => <b>{jobTitle(names, row.target)}</b> },
            { id: 'trigger', title: 'Trigger', cell: (row) => triggerTitle(names, row.trigger) },
            { id: 'agent', title: 'Machine', cell: (row) => row.agent ?? '—' },
            { id: 'ready', title: 'Ready', cell: (row) => <Time at={row.ready} /> },
            {
              id: 'start',
              title: 'Starts',
              cell: (row) => (row.start ? <Time at={row.start} /> : 'not in this stretch'),
            },
            {
              id: 'waits',
              title: 'Waits',
              align: 'right',
              cell: (row) =>
                row.start && row.start !== row.ready ? duration(Date.parse(row.start) - Date.parse(row.ready)) : '',
            },
            { id: 'end', title: 'Ends', cell: (row) => row.end && <Time at={row.end} /> },
            { id: 'slots', title: 'Slots', align: 'right', cell: (row) => row.slots },
          ]}
        />
      )}
    </Panel>
  )
}
