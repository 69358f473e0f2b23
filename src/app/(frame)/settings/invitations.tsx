'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import { LEVELS, type Level } from '@/core/people/rights'
import type { Role } from '@/core/people/roles'
import type { InvitationRow } from '@/service/letters/invitations'
import type { AreaRow } from '@/service/work/areas'
import { LEVEL_WORDS, ROLE_CHOICES } from '@/app/shared/people/words'
import type { ApiProblem } from '@/ui/api'
import { api } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { Table } from '@/ui/parts/table'
import { Ago, Time } from '@/ui/parts/time'

/** Invitations that nobody has taken up yet. */
export function Invitations(): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const { data = [] } = useQuery({
    queryKey: ['invitations'],
    queryFn: () => api.get<InvitationRow[]>('/invitations'),
  })
  if (data.length === 0) return null
  const act = (sent: Promise<unknown>, words: string): void => {
    sent.then(
      () => {
        void client.invalidateQueries({ queryKey: ['invitations'] })
        say(words)
      },
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <>
      <h2 style={{ padding: '14px 12px 8px' }}>Invited, and not here yet</h2>
      <Table
        label="Invitations"
        rows={data}
        isDim={({ isOver }) => isOver}
        columns={[
          { id: 'email', title: 'E-mail', cell: (row) => <b>{row.email}</b> },
          { id: 'role', title: 'Role', cell: (row) => row.role },
          {
            id: 'areas',
            title: 'Areas',
            cell: (row) => row.areas.map(({ path, may }) => `${path}: ${may}`).join(', '),
          },
          {
            id: 'by',
            title: 'Invited',
            cell: (row) => (
              <>
                <Ago at={row.madeAt} /> <Small>by {row.madeBy}</Small>
              </>
            ),
          },
          { id: 'until', title: 'Good until', cell: (row) => (row.isOver ? 'over' : <Time at={row.expiresAt} />) },
          {
            id: 'acts',
            title: '',
            cell: (row) => (
              <Row $gap={4}>
                <Button
                  kind="quiet"
                  aria-label={`Write to ${row.email} again`}
                  onPress={() => act(api.post(`/invitations/${row.id}/renew`), `${row.email} was written to again.`)}
                >
                  Write again
                </Button>
                <Button
                  kind="quiet"
                  aria-label={`Withdraw the invitation of ${row.email}`}
                  onPress={() =>
                    act(api.delete(`/invitations/${row.id}`), `The invitation of ${row.email} is withdrawn.`)
                  }
                >
                  Withdraw
                </Button>
              </Row>
            ),
          },
        ]}
      />
    </>
  )
}

const BLANK = { email: '', role: 'viewer' as Role, areas: [] as { areaId: number; may: Level }[], note: '' }
const levels = LEVELS.map((id) => ({ id, title: LEVEL_WORDS[id] }))

/** Writes to somebody, with a link that works once. */
export function InviteDialog({
  isOpen,
  onClose,
}: {
  readonly isOpen: boolean
  readonly onClose: () => void
}): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const [values, setValues] = useState(BLANK)
  const { trouble, setTrouble, faultOf } = useTrouble()
  const { data: areas = [] } = useQuery({
    queryKey: ['areas'],
    queryFn: () => api.get<AreaRow[]>('/areas'),
    enabled: isOpen,
  })
  const set = (change: Partial<typeof values>): void => setValues({ ...values, ...change })
  const pathOf = (id: number): string => areas.find((area) => area.id === id)?.path ?? ''
  return (
    <Dialog title="Invite somebody" isOpen={isOpen} onClose={onClose} width={520}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          api.post('/invitations', values).then(() => {
            void client.invalidateQueries({ queryKey: ['invitations'] })
            say(`${values.email} was written to.`)
            setTrouble(null)
            setValues(BLANK)
            onClose()
          }, setTrouble)
        }}
      >
        <Stack $gap={12}>
          {trouble && trouble.errors.length === 0 && <Trouble error={trouble} />}
          <TextField
            label="E-mail"
            type="email"
            value={values.email}
            onChange={(email) => set({ email })}
            error={faultOf('email')}
            autoFocus
          />
          <Select label="Role" value={values.role} onChange={(role) => set({ role })} choices={ROLE_CHOICES} />
          <Stack $gap={6} role="group" aria-label="Areas">
            {values.areas.map((area) => (
              <Row key={area.areaId}>
                <span>{pathOf(area.areaId)}</span>
                <Spring />
                <Select
                  label={`What they may on ${pathOf(area.areaId)}`}
                  hideLabel
                  value={area.may}
                  onChange={(may) =>
                    set({ areas: values.areas.map((each) => (each === area ? { ...each, may } : each)) })
                  }
                  choices={levels}
                  width="220px"
                />
                <Button
                  kind="quiet"
                  aria-label={`Without ${pathOf(area.areaId)}`}
                  onPress={() => set({ areas: values.areas.filter((each) => each !== area) })}
                >
                  Take out
                </Button>
              </Row>
            ))}
            <Select
              label="Member of an area"
              placeholder="Choose an area"
              value={null}
              onChange={(id) => set({ areas: [...values.areas, { areaId: Number(id), may: 'see' }] })}
              choices={areas
                .filter(({ id }) => !values.areas.some(({ areaId }) => areaId === id))
                .map(({ id, path }) => ({ id: String(id), title: path }))}
              error={faultOf('areas')}
            />
          </Stack>
          <TextField
            label="A sentence for them"
            value={values.note}
            onChange={(note) => set({ note })}
            error={faultOf('note')}
          />
          <Small>They get a mail with a link that works once, and for seven days.</Small>
          <DialogButtons onClose={onClose}>Invite</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
