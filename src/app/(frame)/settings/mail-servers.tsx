'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { MailServer } from '@/core/work/mail-server'
import type { AccountRow } from '@/service/fleet/accounts'
import type { MailServerRow } from '@/service/notices/mail-servers'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Confirm, Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Empty, Mono, Row, SCROLLS, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { Sentence } from '@/ui/parts/sentence'
import { RowActions } from '@/ui/parts/row-actions'
import { Table } from '@/ui/parts/table'

const BLANK: MailServer = { name: '', host: '', port: 25, tls: false, from: '', account: null }
const NOBODY = 'nobody'

/** The servers that mail of Bugle itself goes out by. */
export function MailServers(): ReactNode {
  const { data: rows, isSuccess } = useQuery({
    queryKey: ['mail-servers'],
    queryFn: () => api.get<MailServerRow[]>('/mail-servers'),
  })
  const { why } = useMay('administer')
  const client = useQueryClient()
  const say = useSay()
  const [editing, setEditing] = useState<{ id: number | null; server: MailServer } | null>(null)
  const [removing, setRemoving] = useState<MailServerRow | null>(null)
  const edit = ({ id, notices: _, changedBy: __, changedAt: ___, ...server }: MailServerRow): void =>
    setEditing({ id, server })
  return (
    <Stack $gap={12} style={{ padding: 12, ...SCROLLS }}>
      <Row>
        <h2>Mail servers</h2>
        <Small>Notices go out by these. What is changed here counts for all of them at once.</Small>
        <Spring />
        <Button onPress={() => setEditing({ id: null, server: BLANK })} whyNot={why}>
          Add a mail server
        </Button>
      </Row>
      {isSuccess && rows.length === 0 ? (
        <Empty title="No mail server yet">Without one notices go out as tickets or HTTP requests only.</Empty>
      ) : (
        <Table
          label="Mail servers"
          rows={rows ?? []}
          columns={[
            { id: 'name', title: 'Name', cell: (row) => <b>{row.name}</b> },
            { id: 'at', title: 'At', cell: (row) => <Mono>{`${row.host}:${row.port}`}</Mono> },
            { id: 'tls', title: 'TLS', cell: (row) => (row.tls ? 'from the start' : 'where offered') },
            { id: 'from', title: 'Sender', cell: (row) => row.from },
            { id: 'account', title: 'Signs in as', cell: (row) => row.account ?? NOBODY },
            { id: 'notices', title: 'Notices', align: 'right', cell: (row) => row.notices },
            {
              id: 'act',
              title: '',
              cell: (row) => (
                <RowActions name={row.name} onChange={() => edit(row)} onRemove={() => setRemoving(row)} whyNot={why} />
              ),
            },
          ]}
        />
      )}
      {editing && <MailServerDialog {...editing} onClose={() => setEditing(null)} />}
      <Confirm
        title={`Remove ${removing?.name ?? ''}?`}
        isOpen={removing !== null}
        onClose={() => setRemoving(null)}
        word="Remove it"
        onConfirm={() => {
          api.delete(`/mail-servers/${removing?.id}`).then(
            () => void client.invalidateQueries({ queryKey: ['mail-servers'] }),
            (error: ApiProblem) => say(error.detail, { bad: true }),
          )
        }}
      >
        Only a server that no notice names can be removed.
      </Confirm>
    </Stack>
  )
}

function MailServerDialog({
  id,
  server,
  onClose,
}: {
  readonly id: number | null
  readonly server: MailServer
  readonly onClose: () => void
}): ReactNode {
  const isNew = id === null
  const client = useQueryClient()
  const [values, setValues] = useState(server)
  const { trouble, setTrouble, faultOf } = useTrouble()
  const { data: accounts = [] } = useQuery({
    queryKey: ['accounts'],
    queryFn: () => api.get<AccountRow[]>('/accounts'),
  })
  const set = (change: Partial<MailServer>): void => setValues({ ...values, ...change })
  const save = (): Promise<unknown> => {
    const { name: _, ...rest } = values
    return isNew ? api.post('/mail-servers', values) : api.put(`/mail-servers/${id}`, rest)
  }
  return (
    <Dialog title={isNew ? 'Add a mail server' : server.name} isOpen onClose={onClose} width={560}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          save().then(() => {
            void client.invalidateQueries({ queryKey: ['mail-servers'] })
            onClose()
          }, setTrouble)
        }}
      >
        <Stack $gap={12}>
          <Trouble error={trouble?.errors.length === 0 ? trouble : null} />
          {isNew && (
            <TextField
              label="Name"
              hint="Notices name it by this; it stays."
              value={values.name}
              onChange={(name) => set({ name })}
              error={faultOf('name')}
              width="260px"
              autoFocus
            />
          )}
          <Sentence>
            <TextField
              label="host"
              value={values.host}
              onChange={(host) => set({ host })}
              error={faultOf('host')}
              width="260px"
              mono
            />
            <TextField
              label="port"
              value={String(values.port)}
              // What is no number stands as it is typed, and is refused with its reason.
              onChange={(port) => set({ port: /^\d{1,9}$/.test(port) ? Number(port) : (port as unknown as number) })}
              error={faultOf('port')}
              width="80px"
            />
            <div style={{ paddingTop: 22 }}>
              <Checkbox isSelected={values.tls} onChange={(tls) => set({ tls })}>
                TLS from the start
              </Checkbox>
            </div>
          </Sentence>
          <Sentence>
            <TextField
              label="sender"
              value={values.from}
              onChange={(from) => set({ from })}
              error={faultOf('from')}
              width="260px"
            />
            <Select
              label="signing in as"
              value={values.account ?? NOBODY}
              onChange={(name) => set({ account: name === NOBODY ? null : name })}
              choices={[{ id: NOBODY, title: NOBODY }, ...accounts.map(({ name }) => ({ id: name, title: name }))]}
              error={faultOf('account')}
              width="200px"
            />
          </Sentence>
          <DialogButtons onClose={onClose}>{isNew ? 'Add' : 'Save'}</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
