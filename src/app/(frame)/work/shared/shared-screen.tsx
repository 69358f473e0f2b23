'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { SharedValueRow } from '@/service/work/shared-values'
import type { ApiProblem } from '@/ui/api'
import { api } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Crumb } from '@/ui/parts/crumb'
import { Empty, Mono, Page, Panel, Row, Small, Spring } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Table } from '@/ui/parts/table'
import { Ago } from '@/ui/parts/time'
import { addressOf } from '@/app/shared/work/words'
import { SharedDialog } from './shared-dialog'

/** Values and secrets that are written once and taken by jobs and flows by name. */
export function SharedScreen(): ReactNode {
  const { data: rows, isSuccess } = useQuery({
    queryKey: ['jobs', 'shared'],
    queryFn: () => api.get<SharedValueRow[]>('/shared-values'),
  })
  const design = useMay('design').why
  const administer = useMay('administer').why
  const client = useQueryClient()
  const say = useSay()
  const [editing, setEditing] = useState<SharedValueRow | 'new' | null>(null)
  const whyNot = (row: SharedValueRow): string | undefined => (row.isSecret ? administer : design)
  const remove = (row: SharedValueRow): void => {
    api.delete(`/shared-values/${row.id}`).then(
      () => {
        void client.invalidateQueries({ queryKey: ['jobs', 'shared'] })
        say(`${row.title} is removed.`)
      },
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <Page style={{ overflow: 'hidden' }}>
      <Row>
        <Crumb href="/work">Work</Crumb>
        <h1>Shared values</h1>
        <Small>Written once, taken by name: an input of a job or flow has one as its default.</Small>
        <Spring />
        <Button kind="strong" onPress={() => setEditing('new')} whyNot={design}>
          New shared value
        </Button>
      </Row>
      <Panel style={{ minHeight: 0, display: 'flex', flexDirection: 'column' }}>
        {isSuccess && rows.length === 0 ? (
          <Empty title="No shared value yet">
            An address, a folder, a key that many jobs use: write it here, and choose it as the default of their inputs.
            Change it once, and every run that is made from then on has the new one.
          </Empty>
        ) : (
          <Table
            label="Shared values"
            rows={rows ?? []}
            onOpen={(row) => whyNot(row) === undefined && setEditing(row)}
            columns={[
              {
                id: 'title',
                title: 'Value',
                cell: (row) => (
                  <>
                    <b>{row.title}</b> <Mono>{row.name}</Mono>
                  </>
                ),
              },
              {
                id: 'value',
                title: 'Is',
                cell: (row) => (row.isSecret ? <Small>secret, never shown</Small> : <Mono>{row.value}</Mono>),
              },
              { id: 'uses', title: 'Taken by', cell: (row) => <Uses uses={row.uses} /> },
              {
                id: 'changed',
                title: 'Changed',
                cell: (row) => (
                  <Small>
                    <Ago at={row.changedAt} /> by {row.changedBy}
                  </Small>
                ),
              },
              {
                id: 'act',
                title: '',
                cell: (row) => (
                  <Row $gap={4}>
                    <Button
                      kind="quiet"
                      aria-label={`Change ${row.title}`}
                      onPress={() => setEditing(row)}
                      whyNot={whyNot(row)}
                    >
                      Change
                    </Button>
                    <Button
                      kind="quiet"
                      aria-label={`Remove ${row.title}`}
                      onPress={() => remove(row)}
                      whyNot={
                        whyNot(row) ?? (row.uses.length > 0 ? 'It is taken: change what takes it first.' : undefined)
                      }
                    >
                      Remove
                    </Button>
                  </Row>
                ),
              },
            ]}
          />
        )}
      </Panel>
      <SharedDialog
        key={editing === null ? '' : editing === 'new' ? 'new' : editing.id}
        value={editing === 'new' ? null : editing}
        isOpen={editing !== null}
        onClose={() => setEditing(null)}
      />
    </Page>
  )
}

function Uses({ uses }: { uses: SharedValueRow['uses'] }): ReactNode {
  if (uses.length === 0) return <Small>nothing yet</Small>
  return (
    <>
      {uses.slice(0, 3).map((use, i) => (
        <span key={use.id}>
          {i > 0 && ', '}
          <Link href={addressOf(use)}>{use.title}</Link>
        </span>
      ))}
      {uses.length > 3 && ` and ${uses.length - 3} more`}
    </>
  )
}
