'use client'
import { useQueryClient } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { RowsFileDialog } from '@/app/shared/rows-file-dialog'
import type { FileDone } from '@/service/queues/from-file'
import type { QueueFull } from '@/service/queues/queues'
import { api } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { Mono } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'

/** Adds the rows of a CSV or of JSON Lines: first what is wrong with each is shown, then all are added at once. */
export function ItemsFileDialog({ queue, onClose }: { queue: QueueFull; onClose: () => void }): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const send = (text: string, name: string, more = ''): Promise<FileDone> =>
    api.postText<FileDone>(
      `/queues/${queue.id}/items/from-file?format=${/\.(jsonl|ndjson|json)$/i.test(name) ? 'jsonl' : 'csv'}${more}`,
      text,
    )
  return (
    <RowsFileDialog
      title={`Items for ${queue.title} from a file`}
      width={640}
      help={
        <p>
          A CSV with a line of headings: <Mono>key, priority, due, notBefore</Mono> are the item’s, all others its data.
          Or JSON Lines, an item a line: <Mono>{'{"key": …, "data": {…}}'}</Mono>. All rows are added, or none.
        </p>
      }
      accept={['.csv', '.jsonl', '.ndjson', 'text/csv']}
      look={(text, name) => send(text, name, '&dryRun=yes')}
      countsOf={({ rows, faults }) => ({ rows, bad: faults.length })}
      rows={({ faults }) =>
        faults.length > 0 && (
          <div style={{ maxHeight: 300, overflow: 'auto' }}>
            <Table
              label="Rows that are not right"
              rows={faults.map((one, id) => ({ ...one, id }))}
              columns={[
                { id: 'line', title: 'Line', cell: (row) => row.path.replace('line ', '') },
                {
                  id: 'what',
                  title: 'What is wrong',
                  maxWidth: 520,
                  cell: (row) => <span title={row.message}>{row.message}</span>,
                },
              ]}
            />
          </div>
        )
      }
      take={async (text, name) => {
        const { added } = await send(text, name)
        for (const kind of ['items', 'queues']) void client.invalidateQueries({ queryKey: [kind] })
        say(`${count(added, 'item')} added to ${queue.title}.`)
      }}
      verb="Add"
      one="item"
      onClose={onClose}
    />
  )
}
