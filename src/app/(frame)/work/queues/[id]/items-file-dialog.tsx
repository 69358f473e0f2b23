'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { FileDone } from '@/service/queues/from-file'
import type { QueueFull } from '@/service/queues/queues'
import { api, type ApiProblem } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { Button } from '@/ui/parts/button'
import { Dialog } from '@/ui/parts/dialog'
import { FileButton } from '@/ui/parts/file-button'
import { Mono, Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'

/** Adds the rows of a CSV or of JSON Lines: first what is wrong with each is shown, then all are added at once. */
export function ItemsFileDialog({ queue, onClose }: { queue: QueueFull; onClose: () => void }): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const [file, setFile] = useState<{ name: string; text: string; looked: FileDone } | null>(null)
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  const pathOf = (name: string, more = ''): string =>
    `/queues/${queue.id}/items/from-file?format=${/\.(jsonl|ndjson|json)$/i.test(name) ? 'jsonl' : 'csv'}${more}`
  const look = (text: string, name: string): void => {
    setTrouble(null)
    setFile(null)
    api
      .postText<FileDone>(pathOf(name, '&dryRun=yes'), text)
      .then((looked) => setFile({ name, text, looked }), setTrouble)
  }
  const add = (): void => {
    if (!file) return
    api.postText<FileDone>(pathOf(file.name), file.text).then(({ added }) => {
      for (const kind of ['items', 'queues']) void client.invalidateQueries({ queryKey: [kind] })
      say(`${count(added, 'item')} added to ${queue.title}.`)
      onClose()
    }, setTrouble)
  }
  const bad = file?.looked.faults ?? []
  return (
    <Dialog title={`Items for ${queue.title} from a file`} isOpen onClose={onClose} width={640}>
      <Stack $gap={12}>
        <p>
          A CSV with a line of headings: <Mono>key, priority, due, notBefore</Mono> are the item’s, all others its data.
          Or JSON Lines, an item a line: <Mono>{'{"key": …, "data": {…}}'}</Mono>. All rows are added, or none.
        </p>
        <Trouble error={trouble} />
        {file && (
          <>
            <Small>
              {file.name}: {count(file.looked.rows, 'row')},{' '}
              {bad.length === 0 ? 'all of them right' : `${bad.length} not right`}
            </Small>
            {bad.length > 0 && (
              <div style={{ maxHeight: 300, overflow: 'auto' }}>
                <Table
                  label="Rows that are not right"
                  rows={bad.map((one, id) => ({ ...one, id }))}
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
            )}
          </>
        )}
        <Row>
          <FileButton accept={['.csv', '.jsonl', '.ndjson', 'text/csv']} onText={look}>
            {file ? 'Another file …' : 'Choose a file …'}
          </FileButton>
          <Spring />
          <Button onPress={onClose}>Cancel</Button>
          <Button
            kind="strong"
            onPress={add}
            whyNot={file === null ? 'Choose a file first.' : bad.length > 0 ? 'Some rows are not right.' : undefined}
          >
            Add {file ? count(file.looked.rows, 'item') : 'them'}
          </Button>
        </Row>
      </Stack>
    </Dialog>
  )
}
