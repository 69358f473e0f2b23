'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { LockRow } from '@/service/fleet/locks'
import type { ApiProblem } from '@/ui/api'
import { ExportButton } from '@/app/shared/exports/export-button'
import { api, queryOf } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { TextField } from '@/ui/parts/fields'
import { Empty, Mono, Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { RowActions } from '@/ui/parts/row-actions'
import { Table } from '@/ui/parts/table'

/** Named units that runs hold while they go on, wherever they run. */
export function Locks(): ReactNode {
  const { data: rows, isSuccess } = useQuery({
    queryKey: ['locks'],
    queryFn: () => api.get<LockRow[]>('/locks'),
    // Runs take and leave units all the time.
    refetchInterval: 5000,
  })
  const { why } = useMay('administer')
  const client = useQueryClient()
  const say = useSay()
  const [editing, setEditing] = useState<LockRow | 'new' | null>(null)
  const remove = (row: LockRow): void => {
    api.delete(`/locks/${row.id}`).then(
      () => void client.invalidateQueries({ queryKey: ['locks'] }),
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <>
      <Row style={{ padding: '8px 12px' }}>
        <Small>What must not be used by too many at once: a run takes all its units before it begins, or waits.</Small>
        <Spring />
        <ExportButton list="locks" />
        <Button onPress={() => setEditing('new')} whyNot={why}>
          New lock
        </Button>
      </Row>
      {isSuccess && rows.length === 0 ? (
        <Empty title="No lock yet">
          A lock of one unit lets one run at a time at a database, a licence or a device; one of three lets three.
        </Empty>
      ) : (
        <Table
          label="Locks"
          rows={rows ?? []}
          columns={[
            {
              id: 'title',
              title: 'Lock',
              cell: (row) => (
                <>
                  <b>{row.title}</b> <Mono>{row.name}</Mono>
                </>
              ),
            },
            {
              id: 'units',
              title: 'Units',
              align: 'right',
              cell: (row) => (
                <>
                  <Link href={`/runs${queryOf({ lock: row.name, state: 'running', steps: 'yes' })}`}>{row.used}</Link>{' '}
                  of {row.units}
                </>
              ),
            },
            {
              id: 'holders',
              title: 'Held by',
              cell: (row) =>
                row.holders.slice(0, 4).map(({ runId, title, units }, i) => (
                  <span key={runId}>
                    {i > 0 && ', '}
                    <Link href={`/runs/${runId}`}>
                      {title} #{runId}
                    </Link>
                    {units > 1 && ` (${units})`}
                  </span>
                )),
            },
            {
              id: 'waiting',
              title: 'Wait for it',
              align: 'right',
              cell: (row) =>
                row.waiting > 0 && (
                  <Link href={`/runs${queryOf({ lock: row.name, state: 'ready', steps: 'yes' })}`}>{row.waiting}</Link>
                ),
            },
            { id: 'jobs', title: 'Taken by', cell: (row) => count(row.jobs, 'job') },
            {
              id: 'act',
              title: '',
              cell: (row) => (
                <RowActions
                  name={row.title}
                  onChange={() => setEditing(row)}
                  onRemove={() => remove(row)}
                  whyNot={why}
                />
              ),
            },
          ]}
        />
      )}
      <LockDialog
        key={editing === null ? '' : editing === 'new' ? 'new' : editing.id}
        lock={editing === 'new' ? null : editing}
        isOpen={editing !== null}
        onClose={() => setEditing(null)}
      />
    </>
  )
}

function LockDialog({
  lock,
  isOpen,
  onClose,
}: {
  /** null: a new one. */
  lock: LockRow | null
  isOpen: boolean
  onClose: () => void
}): ReactNode {
  const client = useQueryClient()
  const [values, setValues] = useState({ name: '', title: lock?.title ?? '', units: String(lock?.units ?? 1) })
  const { trouble, setTrouble, faultOf } = useTrouble()
  const set = (change: Partial<typeof values>): void => setValues((before) => ({ ...before, ...change }))
  return (
    <Dialog title={lock ? `Lock ${lock.name}` : 'New lock'} isOpen={isOpen} onClose={onClose} width={420}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          const body = { title: values.title, units: /^\d+$/.test(values.units) ? Number(values.units) : values.units }
          const saved = lock ? api.put(`/locks/${lock.id}`, body) : api.post('/locks', { ...body, name: values.name })
          saved.then(() => {
            void client.invalidateQueries({ queryKey: ['locks'] })
            onClose()
          }, setTrouble)
        }}
      >
        <Stack $gap={12}>
          <Trouble error={trouble?.errors.length === 0 ? trouble : null} />
          {!lock && (
            <TextField
              label="Name"
              value={values.name}
              onChange={(name) => set({ name })}
              error={faultOf('name')}
              mono
              autoFocus
            />
          )}
          <TextField label="Title" value={values.title} onChange={(title) => set({ title })} error={faultOf('title')} />
          <TextField
            label="Units"
            value={values.units}
            onChange={(units) => set({ units })}
            error={faultOf('units')}
            hint="How many can be held at once. Fewer than now are held only keeps more from beginning."
          />
          <DialogButtons onClose={onClose}>{lock ? 'Save' : 'Add'}</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
