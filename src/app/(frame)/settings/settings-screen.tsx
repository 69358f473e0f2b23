'use client'
import dynamic from 'next/dynamic'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Fragment, useState, type ReactNode } from 'react'
import { ROLES, type Role } from '@/core/people/roles'
import type { AuditEntry } from '@/service/base/audit'
import type { EngineRow } from '@/service/fleet/engines'
import type { PersonRow } from '@/service/people/people'
import type { ApiProblem } from '@/ui/api'
import { api } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useAddress } from '@/ui/hooks/address'
import { useMay } from '@/ui/hooks/me'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Select } from '@/ui/parts/select'
import { Switch, TextField } from '@/ui/parts/fields'
import { Page, Panel, Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'
import { Tabs } from '@/ui/parts/tabs'
import { Ago, Time } from '@/ui/parts/time'

// Of the tabs only the one in sight is fetched.
const MySettings = dynamic(() => import('./my-settings').then((module) => module.MySettings), { ssr: false })
const TimingSettings = dynamic(() => import('./timing-settings').then((module) => module.TimingSettings), {
  ssr: false,
})
const Notices = dynamic(() => import('./notices').then((module) => module.Notices), { ssr: false })
const MailServers = dynamic(() => import('./mail-servers').then((module) => module.MailServers), { ssr: false })
const Addresses = dynamic(() => import('./addresses').then((module) => module.Addresses), { ssr: false })

export function SettingsScreen(): ReactNode {
  const { values, set } = useAddress()
  const { may } = useMay('administer')
  const tabs = [
    { id: 'me', title: 'Yours', content: <MySettings /> },
    { id: 'timing', title: 'Timing', content: <TimingSettings /> },
    { id: 'notices', title: 'Notices', content: <Notices /> },
    { id: 'mail', title: 'Mail', content: <MailServers /> },
    { id: 'people', title: 'People', content: <People /> },
    { id: 'engines', title: 'Engines', content: <Engines /> },
    ...(may
      ? [
          { id: 'addresses', title: 'Addresses', content: <Addresses /> },
          { id: 'audit', title: 'Audit', content: <Audit /> },
        ]
      : []),
  ]
  return (
    <Page style={{ overflow: 'hidden' }}>
      <h1>Settings</h1>
      <Panel style={{ flex: 1, minHeight: 0, display: 'flex', flexDirection: 'column' }}>
        <Tabs
          label="Settings"
          tabs={tabs}
          selected={tabs.some((t) => t.id === values.tab) ? (values.tab as string) : 'me'}
          onSelect={(tab) => set({ tab: tab === 'me' ? null : tab })}
        />
      </Panel>
    </Page>
  )
}

const roleChoices = ROLES.map((role) => ({ id: role, title: role }))

function People(): ReactNode {
  const { may, why } = useMay('administer')
  const { data = [] } = useQuery({ queryKey: ['people'], queryFn: () => api.get<PersonRow[]>('/people') })
  const client = useQueryClient()
  const say = useSay()
  const [adding, setAdding] = useState(false)
  const change = (person: PersonRow, body: object): void => {
    api.patch(`/people/${person.id}`, body).then(
      () => client.invalidateQueries({ queryKey: ['people'] }),
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <>
      <Row style={{ padding: '8px 12px' }}>
        <Small>
          A viewer reads; an operator also starts and stops; a designer also changes work; an administrator also looks
          after fleet and people.
        </Small>
        <Spring />
        <Button onPress={() => setAdding(true)} whyNot={why}>
          Add a person
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
                  choices={roleChoices}
                  width="130px"
                />
              ) : (
                p.role
              ),
          },
          { id: 'seen', title: 'Last seen', cell: (p) => (p.lastSeenAt ? <Ago at={p.lastSeenAt} /> : 'not yet') },
          {
            id: 'active',
            title: 'May sign in',
            cell: (p) => (
              <Switch isSelected={p.active} onChange={(active) => change(p, { active })} whyNot={why}>
                <span className="visually-hidden">{p.name} may sign in</span>
                {p.active ? 'yes' : 'no'}
              </Switch>
            ),
          },
        ]}
      />
      <AddPerson isOpen={adding} onClose={() => setAdding(false)} />
    </>
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
            onChange={(role) => setValues({ ...values, role: role as Role })}
            choices={roleChoices}
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

function Engines(): ReactNode {
  const { data = [] } = useQuery({
    queryKey: ['engines'],
    queryFn: () => api.get<EngineRow[]>('/engines'),
    refetchInterval: 5000,
  })
  return (
    <>
      <Small style={{ padding: '10px 12px' }}>
        Engines keep agents connected, hand out runs and notice what is lost. One leads; if it ends, another takes over.
      </Small>
      <Table
        label="Engines"
        rows={data}
        isDim={(e) => !e.isAlive}
        columns={[
          { id: 'host', title: 'On', cell: (e) => <b>{`${e.host}, process ${e.pid}`}</b> },
          {
            id: 'state',
            title: 'State',
            cell: (e) => (e.isAlive ? (e.leads ? 'leads' : 'stands by') : 'not heard of'),
          },
          { id: 'agents', title: 'Agents', align: 'right', cell: (e) => e.agents },
          { id: 'gateway', title: 'Gateway', cell: (e) => e.gatewayUrl },
          { id: 'version', title: 'Version', cell: (e) => e.version },
          { id: 'since', title: 'Since', cell: (e) => <Time at={e.startedAt} /> },
          { id: 'seen', title: 'Last word', cell: (e) => <Ago at={e.lastSeenAt} /> },
        ]}
      />
    </>
  )
}

function Audit(): ReactNode {
  const [text, setText] = useState('')
  const [pages, setPages] = useState<number[]>([])
  const before = pages.at(-1)
  const { data = [] } = useQuery({
    queryKey: ['audit', text, before],
    queryFn: () =>
      api.get<AuditEntry[]>(
        `/audit?${new URLSearchParams({ ...(text ? { text } : {}), ...(before ? { before: String(before) } : {}) })}`,
      ),
    placeholderData: (old) => old,
  })
  return (
    <>
      <Row style={{ padding: '8px 12px' }}>
        <div data-filter>
          <TextField
            label="Person, action or object"
            hideLabel
            placeholder="Person, action or object"
            type="search"
            value={text}
            onChange={(value) => {
              setText(value)
              setPages([])
            }}
            width="260px"
          />
        </div>
        <Spring />
        <Button isDisabled={pages.length === 0} onPress={() => setPages(pages.slice(0, -1))}>
          Newer
        </Button>
        <Button isDisabled={data.length < 100} onPress={() => setPages([...pages, data.at(-1)?.id ?? 0])}>
          Older
        </Button>
      </Row>
      <Table
        label="Audit"
        rows={data}
        columns={[
          { id: 'at', title: 'When', cell: (e) => <Time at={e.at} /> },
          { id: 'who', title: 'Who', cell: (e) => <b>{e.personName}</b> },
          { id: 'what', title: 'Did', cell: (e) => `${e.action} ${e.objectType} ${e.objectTitle}` },
          { id: 'changes', title: 'What changed', cell: (e) => <Changes changes={e.changes} /> },
          { id: 'via', title: 'By way of', cell: (e) => <Small>{`${e.via}, ${e.address}`}</Small> },
        ]}
      />
    </>
  )
}

function Changes({ changes }: { changes: Record<string, unknown> }): ReactNode {
  const entries = Object.entries(changes)
  const text = (value: unknown): string => (typeof value === 'string' ? value : JSON.stringify(value))
  return (
    <Small title={JSON.stringify(changes, null, 1)}>
      {entries.map(([key, value], i) => (
        <Fragment key={key}>
          {i > 0 && ' · '}
          {key}{' '}
          {typeof value === 'object' && value !== null && 'from' in value && 'to' in value
            ? `${text(value.from)} → ${text(value.to)}`
            : text(value)}
        </Fragment>
      ))}
    </Small>
  )
}
