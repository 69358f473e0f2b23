'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { Role } from '@/core/people/roles'
import type { PersonRow } from '@/service/people/people'
import { ROLE_CHOICES } from '@/app/shared/people/words'
import type { ApiProblem } from '@/ui/api'
import { ExportButton } from '@/app/shared/exports/export-button'
import { api } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Lists } from '@/ui/parts/card'
import { Confirm, Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Switch, TextField } from '@/ui/parts/fields'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { Table } from '@/ui/parts/table'
import { Ago } from '@/ui/parts/time'
import { Groups } from './groups'
import { HandOn } from './hand-on'
import { ServiceAccounts } from './service-accounts'
import { Invitations, InviteDialog } from './invitations'
import { PersonRights } from './person-rights'
import { Providers } from './providers'
import { SecondFactorRoles } from './second-factor-roles'

export function People(): ReactNode {
  const { may, why } = useMay('administer')
  const { data = [] } = useQuery({ queryKey: ['people'], queryFn: () => api.get<PersonRow[]>('/people') })
  const client = useQueryClient()
  const say = useSay()
  const [adding, setAdding] = useState(false)
  const [inviting, setInviting] = useState(false)
  const [shown, setShown] = useState<PersonRow | null>(null)
  const [lost, setLost] = useState<PersonRow | null>(null)
  const [leaving, setLeaving] = useState<PersonRow | null>(null)
  const change = (person: PersonRow, body: object): void => {
    api.patch(`/people/${person.id}`, body).then(
      () => client.invalidateQueries({ queryKey: ['people'] }),
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <Lists>
      <Row style={{ padding: '8px 12px' }}>
        <Small>
          A viewer reads; an operator also starts and stops; a designer also changes work; an administrator also looks
          after fleet and people. With none, only areas say what somebody may.
        </Small>
        <Spring />
        <ExportButton list="people" />
        <Button onPress={() => setAdding(true)} whyNot={why}>
          Add a person
        </Button>
        <Button kind="strong" onPress={() => setInviting(true)} whyNot={why}>
          Invite
        </Button>
      </Row>
      <Table
        label="People"
        rows={data}
        isDim={(p) => !p.active}
        columns={[
          { id: 'name', title: 'Name', cell: (p) => <b>{p.name}</b> },
          { id: 'email', title: 'E-mail', cell: (p) => p.email },
          {
            id: 'role',
            title: 'Role',
            cell: (p) =>
              may ? (
                <Select
                  label={`Role of ${p.name}`}
                  hideLabel
                  value={p.role}
                  onChange={(role) => change(p, { role })}
                  choices={ROLE_CHOICES}
                  width="150px"
                />
              ) : (
                p.role
              ),
          },
          { id: 'groups', title: 'Groups', cell: (p) => p.groups.join(', ') },
          { id: 'seen', title: 'Last seen', cell: (p) => (p.lastSeenAt ? <Ago at={p.lastSeenAt} /> : 'not yet') },
          {
            id: 'active',
            title: 'May sign in',
            cell: (p) => (
              <Switch
                isSelected={p.active}
                onChange={(active) => (active ? change(p, { active }) : setLeaving(p))}
                whyNot={why}
              >
                <span className="visually-hidden">{p.name} may sign in</span>
                {p.active ? 'yes' : 'no'}
              </Switch>
            ),
          },
          ...(may
            ? [
                {
                  id: 'factor',
                  title: 'Second factor',
                  cell: (p: PersonRow) =>
                    p.secondFactor ? (
                      <Button
                        kind="quiet"
                        aria-label={`Take the second factors of ${p.name}`}
                        onPress={() => setLost(p)}
                      >
                        yes
                      </Button>
                    ) : (
                      'none'
                    ),
                },
              ]
            : []),
          {
            id: 'rights',
            title: '',
            cell: (p) => (
              <Button kind="quiet" aria-label={`What ${p.name} may`} onPress={() => setShown(p)}>
                What they may
              </Button>
            ),
          },
        ]}
      />
      {may && <Invitations />}
      {may && <SecondFactorRoles />}
      {may && <Providers />}
      <Groups people={data} />
      <ServiceAccounts />
      <Confirm
        title={`Take the second factors of ${lost?.name ?? ''}?`}
        isOpen={lost !== null}
        onClose={() => setLost(null)}
        word="Take them"
        onConfirm={() =>
          lost &&
          void api.delete(`/people/${lost.id}/second-factors`).then(
            () => client.invalidateQueries({ queryKey: ['people'] }),
            (error: ApiProblem) => say(error.detail, { bad: true }),
          )
        }
      >
        For somebody who has lost phone and codes, and whom you know: their password alone lets them in from now on, and
        where their role asks for a second factor they set up another one.
      </Confirm>
      {leaving && (
        <HandOn
          person={leaving}
          people={data}
          onClose={() => setLeaving(null)}
          onDone={() => void client.invalidateQueries({ queryKey: ['people'] })}
        />
      )}
      <InviteDialog isOpen={inviting} onClose={() => setInviting(false)} />
      <AddPerson isOpen={adding} onClose={() => setAdding(false)} />
      <Dialog
        title={`What ${shown?.name ?? ''} may`}
        isOpen={shown !== null}
        onClose={() => setShown(null)}
        width={620}
      >
        {shown && <PersonRights id={shown.id} />}
      </Dialog>
    </Lists>
  )
}

const NOBODY = { name: '', email: '', role: 'viewer', password: '' } as const

function AddPerson({ isOpen, onClose }: { isOpen: boolean; onClose: () => void }): ReactNode {
  const client = useQueryClient()
  const [values, setValues] = useState<{ name: string; email: string; role: Role; password: string }>(NOBODY)
  const { trouble, setTrouble, faultOf } = useTrouble()
  return (
    <Dialog title="Add a person" isOpen={isOpen} onClose={onClose} width={420}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          api.post('/people', values).then(() => {
            void client.invalidateQueries({ queryKey: ['people'] })
            setTrouble(null)
            setValues(NOBODY)
            onClose()
          }, setTrouble)
        }}
      >
        <Stack $gap={12}>
          {trouble && trouble.errors.length === 0 && <Trouble error={trouble} />}
          <TextField
            label="Name"
            value={values.name}
            onChange={(name) => setValues({ ...values, name })}
            error={faultOf('name')}
            autoFocus
          />
          <TextField
            label="E-mail"
            type="email"
            value={values.email}
            onChange={(email) => setValues({ ...values, email })}
            error={faultOf('email')}
          />
          <Select
            label="Role"
            value={values.role}
            onChange={(role) => setValues({ ...values, role })}
            choices={ROLE_CHOICES}
          />
          <TextField
            label="First password"
            type="password"
            hint="At least 12 characters. They can change it under Settings."
            value={values.password}
            onChange={(password) => setValues({ ...values, password })}
            error={faultOf('password')}
            autoComplete="new-password"
          />
          <DialogButtons onClose={onClose}>Add</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
