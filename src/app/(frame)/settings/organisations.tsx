'use client'
import { useQuery } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { OrganisationRow, ServerAuditRow } from '@/service/organisations/organisations'
import { ShownOnce } from '@/app/shared/people/shown-once'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useSaving } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Lists } from '@/ui/parts/card'
import { Confirm, Dialog, DialogButtons } from '@/ui/parts/dialog'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'
import { ServerAdministrators } from './server-administrators'

interface Made {
  readonly title: string
  readonly code: string
}

/** All organisations of the server, for whoever looks after it. */
export function Organisations(): ReactNode {
  const { data = [] } = useQuery({
    queryKey: ['organisations'],
    queryFn: () => api.get<OrganisationRow[]>('/organisations'),
  })
  const { data: acts = [] } = useQuery({
    queryKey: ['server-audit'],
    queryFn: () => api.get<ServerAuditRow[]>('/server/audit'),
  })
  const say = useSay()
  const { save } = useSaving()
  const [naming, setNaming] = useState<OrganisationRow | 'new' | null>(null)
  const [off, setOff] = useState<OrganisationRow | null>(null)
  const [made, setMade] = useState<Made | null>(null)
  const change = (row: OrganisationRow, active: boolean): void =>
    save(
      api.patch(`/organisations/${row.id}`, { active }).catch((error: ApiProblem) => {
        say(error.detail, { bad: true })
        throw error
      }),
      active ? `${row.title} is switched on.` : `${row.title} is switched off.`,
      'organisations',
      'server-audit',
    )
  const codeFor = (row: OrganisationRow): void => {
    api.post<{ code: string }>(`/organisations/${row.id}/code`).then(
      ({ code }) => setMade({ title: row.title, code }),
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <Lists>
      <Row style={{ padding: '8px 12px' }}>
        <Small>
          Organisations on this server are strictly apart: each has people, machines, work and records of its own. Who
          looks after the server makes, renames and switches them off, and sees nothing of what is in them.
        </Small>
        <Spring />
        <Button onPress={() => setNaming('new')}>New organisation</Button>
      </Row>
      {made && <FirstCode made={made} />}
      <Table
        label="Organisations"
        rows={data}
        isDim={(row) => !row.active}
        columns={[
          { id: 'title', title: 'Organisation', cell: (row) => <b>{row.title}</b> },
          { id: 'state', title: 'State', cell: (row) => (row.active ? 'on' : 'switched off') },
          {
            id: 'people',
            title: 'People',
            cell: (row) =>
              row.people === 0 ? 'nobody yet' : `${row.people} ${row.people === 1 ? 'person' : 'people'}`,
          },
          { id: 'made', title: 'Made', cell: (row) => <Time at={row.madeAt} /> },
          { id: 'by', title: 'By', cell: (row) => row.madeBy },
          {
            id: 'acts',
            title: '',
            align: 'right',
            cell: (row) => (
              <Row style={{ justifyContent: 'flex-end' }}>
                {row.isOwn && <Small>yours</Small>}
                {row.people === 0 && (
                  <Button kind="quiet" onPress={() => codeFor(row)} aria-label={`Code for ${row.title}`}>
                    Code
                  </Button>
                )}
                <Button kind="quiet" onPress={() => setNaming(row)} aria-label={`Rename ${row.title}`}>
                  Rename
                </Button>
                {!row.isOwn && (
                  <Button
                    kind="quiet"
                    onPress={() => (row.active ? setOff(row) : change(row, true))}
                    aria-label={`Switch ${row.title} ${row.active ? 'off' : 'on'}`}
                  >
                    {row.active ? 'Switch off' : 'Switch on'}
                  </Button>
                )}
              </Row>
            ),
          },
        ]}
      />
      <ServerAdministrators />
      <Row style={{ padding: '14px 12px 8px' }}>
        <h2>What was done here</h2>
      </Row>
      <Table
        label="What was done here"
        rows={acts.map((act, id) => ({ ...act, id }))}
        columns={[
          { id: 'at', title: 'When', cell: (act) => <Time at={act.at} /> },
          { id: 'by', title: 'Who', cell: (act) => <b>{act.by}</b> },
          { id: 'what', title: 'Did', cell: (act) => `${act.action}: ${act.title}` },
        ]}
      />
      {naming !== null && (
        <NameDialog
          row={naming === 'new' ? null : naming}
          onClose={() => setNaming(null)}
          onMade={(title, code) => setMade({ title, code })}
        />
      )}
      <Confirm
        title={`Switch ${off?.title ?? ''} off?`}
        isOpen={off !== null}
        onClose={() => setOff(null)}
        word="Switch it off"
        onConfirm={() => off && change(off, false)}
      >
        Its people are signed out, its agents are not let in, and nothing of it starts, until it is switched on again.
        What runs on its machines now goes on there, and is reported then. Everything is kept.
      </Confirm>
    </Lists>
  )
}

/** How the first administrator of a new organisation comes in. */
function FirstCode({ made: { title, code } }: { readonly made: Made }): ReactNode {
  return (
    <div style={{ padding: '0 12px 10px' }}>
      <ShownOnce text={`${window.location.origin}/sign-in#${code}`}>
        Give this address to whoever is to administer {title}. It is shown only now, and good for a day; they choose
        name and password themselves.
      </ShownOnce>
    </div>
  )
}

function NameDialog({
  row,
  onClose,
  onMade,
}: {
  readonly row: OrganisationRow | null
  readonly onClose: () => void
  readonly onMade: (title: string, code: string) => void
}): ReactNode {
  const [title, setTitle] = useState(row?.title ?? '')
  const { trouble, faultOf, save } = useSaving()
  const send = async (): Promise<void> => {
    if (row) await api.patch(`/organisations/${row.id}`, { title })
    else {
      const { code } = await api.post<{ id: number; code: string }>('/organisations', { title })
      onMade(title, code)
    }
    onClose()
  }
  return (
    <Dialog title={row ? `Rename ${row.title}` : 'New organisation'} isOpen onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          save(send(), row ? 'Renamed.' : `${title} is made.`, 'organisations', 'server-audit')
        }}
      >
        <Stack $gap={12}>
          {trouble && trouble.errors.length === 0 && <Trouble error={trouble} />}
          <TextField label="Name" value={title} onChange={setTitle} error={faultOf('title')} autoFocus />
          <DialogButtons onClose={onClose}>{row ? 'Rename it' : 'Make it'}</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
