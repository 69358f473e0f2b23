'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { RobotLine } from '@/service/fleet/robots-from-file'
import type { ApiProblem } from '@/ui/api'
import { api } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { Button } from '@/ui/parts/button'
import { Dialog } from '@/ui/parts/dialog'
import { FileButton } from '@/ui/parts/file-button'
import { Mono, Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { StateMark } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'

interface Answer {
  readonly lines: RobotLine[]
  readonly registered: number
}

/** Registers the robots of a CSV: first what would come of each row is shown, then all are registered at once. */
export function RobotsFileDialog({ isOpen, onClose }: { isOpen: boolean; onClose: () => void }): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const [file, setFile] = useState<{ name: string; csv: string; lines: RobotLine[] } | null>(null)
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  const look = (csv: string, name: string): void => {
    setTrouble(null)
    setFile(null)
    api
      .post<Answer>('/robots/from-file', { csv, dryRun: true })
      .then(({ lines }) => setFile({ name, csv, lines }), setTrouble)
  }
  const bad = file?.lines.filter(({ faults }) => faults.length > 0) ?? []
  const register = (): void => {
    api.post<Answer>('/robots/from-file', { csv: file?.csv, dryRun: false }).then(({ registered }) => {
      for (const key of ['robots', 'accounts', 'pools']) void client.invalidateQueries({ queryKey: [key] })
      say(`${count(registered, 'robot')} registered.`)
      onClose()
    }, setTrouble)
  }
  return (
    <Dialog title="Robots from a file" isOpen={isOpen} onClose={onClose} width={680}>
      <Stack $gap={12}>
        <p>
          A CSV with a line of headings: <Mono>name, agent, account</Mono>, and if wanted{' '}
          <Mono>kind, pools, earliest, latest, calendar, labels, notes</Mono>. Several pools or labels stand with spaces
          between them. Agents and accounts must be here already.
        </p>
        <Trouble error={trouble} />
        {file && (
          <>
            <Small>
              {file.name}: {count(file.lines.length, 'row')},{' '}
              {bad.length === 0 ? 'all of them right' : `${bad.length} not right`}
            </Small>
            <div style={{ maxHeight: 320, overflow: 'auto' }}>
              <Table
                label="Rows of the file"
                rows={file.lines.map((line) => ({ ...line, id: line.line }))}
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
          </>
        )}
        <Row>
          <FileButton accept={['.csv', 'text/csv']} onText={look}>
            {file ? 'Another file …' : 'Choose a file …'}
          </FileButton>
          <Spring />
          <Button onPress={onClose}>Cancel</Button>
          <Button
            kind="strong"
            onPress={register}
            whyNot={file === null ? 'Choose a file first.' : bad.length > 0 ? 'Some rows are not right.' : undefined}
          >
            Register {file ? count(file.lines.length, 'robot') : 'them'}
          </Button>
        </Row>
      </Stack>
    </Dialog>
  )
}
