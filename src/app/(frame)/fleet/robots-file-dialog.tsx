'use client'
import { useQueryClient } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { RowsFileDialog } from '@/app/shared/rows-file-dialog'
import type { RobotLine } from '@/service/fleet/robots-from-file'
import { api } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { Mono } from '@/ui/parts/layout'
import { StateMark } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'

interface Answer {
  readonly lines: RobotLine[]
  readonly registered: number
}

/** Registers the robots of a CSV: first what would come of each row is shown, then all are registered at once. */
export function RobotsFileDialog({ onClose }: { onClose: () => void }): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const send = (csv: string, dryRun: boolean): Promise<Answer> => api.post<Answer>('/robots/from-file', { csv, dryRun })
  return (
    <RowsFileDialog
      title="Robots from a file"
      width={680}
      help={
        <p>
          A CSV with a line of headings: <Mono>name, agent, account</Mono>, and if wanted{' '}
          <Mono>kind, pools, earliest, latest, calendar, labels, notes</Mono>. Several pools or labels stand with spaces
          between them. Agents and accounts must be here already.
        </p>
      }
      accept={['.csv', 'text/csv']}
      look={async (csv) => (await send(csv, true)).lines}
      countsOf={(lines) => ({ rows: lines.length, bad: lines.filter(({ faults }) => faults.length > 0).length })}
      rows={(lines) => (
        <div style={{ maxHeight: 320, overflow: 'auto' }}>
          <Table
            label="Rows of the file"
            rows={lines.map((line) => ({ ...line, id: line.line }))}
            columns={[
              { id: 'line', title: 'Line', align: 'right', cell: (row) => row.line },
              {
                id: 'mark',
                title: '',
                cell: (row) => <StateMark mark={row.faults.length > 0 ? 'failed' : 'succeeded'} />,
              },
              { id: 'name', title: 'Robot', cell: (row) => <Mono>{row.name}</Mono> },
              { id: 'what', title: 'What comes of it', cell: (row) => row.faults.join(' ') || 'is registered' },
            ]}
          />
        </div>
      )}
      take={async (csv) => {
        const { registered } = await send(csv, false)
        for (const key of ['robots', 'accounts', 'pools']) void client.invalidateQueries({ queryKey: [key] })
        say(`${count(registered, 'robot')} registered.`)
      }}
      verb="Register"
      one="robot"
      onClose={onClose}
    />
  )
}
