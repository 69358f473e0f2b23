'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent, type ReactNode } from 'react'
import { slugOf } from '@/core/schema/slug'
import type { AccountRow } from '@/service/fleet/accounts'
import type { AgentRow, PoolRow } from '@/service/fleet/fleet'
import type { RobotRow } from '@/service/fleet/robots'
import type { PersonRow } from '@/service/people/people'
import { LabelsField } from '@/app/shared/work/pairs-field'
import { api } from '@/ui/api'
import { useTrouble } from '@/ui/hooks/saving'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Row, Small, Stack, Trouble } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { withOrWithout } from '@/ui/sets'

const NEW = 'new'

/** Registers a robot, or changes one: on whose machine, under which account, when it may work and what it belongs to. */
export function RobotDialog({
  robot,
  isOpen,
  onClose,
  agentName,
  onDone,
}: {
  /** null: a new one. */
  robot: RobotRow | null
  isOpen: boolean
  onClose: () => void
  /** The agent that a new one begins with. */
  agentName?: string
  onDone?: (id: number) => void
}): ReactNode {
  const client = useQueryClient()
  const { data: agents = [] } = useQuery({ queryKey: ['agents'], queryFn: () => api.get<AgentRow[]>('/agents') })
  const { data: accounts = [] } = useQuery({
    queryKey: ['accounts'],
    queryFn: () => api.get<AccountRow[]>('/accounts'),
  })
  const { data: pools = [] } = useQuery({ queryKey: ['pools'], queryFn: () => api.get<PoolRow[]>('/pools') })
  const { data: calendars = [] } = useQuery({
    queryKey: ['calendars', 'names'],
    queryFn: () => api.get<{ slug: string; title: string }[]>('/calendars'),
  })
  const [name, setName] = useState(robot?.name ?? '')
  const [agent, setAgent] = useState<string | null>(robot?.agent ?? agentName ?? null)
  const [account, setAccount] = useState<string>(robot ? String(robot.accountId) : NEW)
  const [fresh, setFresh] = useState({ userName: '', secret: '' })
  const [kind, setKind] = useState<string>(robot?.kind ?? 'unattended')
  const [hours, setHours] = useState({ earliest: robot?.earliest ?? '', latest: robot?.latest ?? '' })
  const [calendar, setCalendar] = useState(robot?.calendar ?? '')
  const [labels, setLabels] = useState<Record<string, string>>({ ...robot?.labels })
  const [chosen, setChosen] = useState<ReadonlySet<number> | null>(null)
  const [personId, setPersonId] = useState(robot?.personId ?? null)
  const { data: people = [] } = useQuery({
    queryKey: ['people'],
    queryFn: () => api.get<PersonRow[]>('/people'),
    enabled: kind === 'attended',
  })
  const [notes, setNotes] = useState(robot?.notes ?? '')
  const { trouble, setTrouble, faultOf } = useTrouble()
  const mine = chosen ?? new Set(pools.filter((p) => robot?.pools.some((x) => x.name === p.name)).map((p) => p.id))
  const faultBelow = (path: string): string | undefined =>
    trouble?.errors.find((fault) => fault.path === path || fault.path.startsWith(`${path}.`))?.message

  const submit = (event: FormEvent): void => {
    event.preventDefault()
    const terms = {
      name,
      kind,
      earliest: hours.earliest || null,
      latest: hours.latest || null,
      calendar: calendar || null,
      labels,
      poolIds: [...mine],
      notes,
      personId: kind === 'attended' ? personId : null,
    }
    const sent = robot
      ? api.patch(`/robots/${robot.id}`, { ...terms, accountId: Number(account) })
      : api.post<{ id: number }>('/robots', {
          ...terms,
          agentId: agents.find((each) => each.name === agent)?.id ?? 0,
          account:
            account === NEW
              ? {
                  name: slugOf(`${name}-account`),
                  userName: fresh.userName,
                  secret: fresh.secret === '' ? null : fresh.secret,
                  goodUntil: null,
                }
              : { id: Number(account) },
        })
    sent.then((made) => {
      for (const key of ['robots', 'accounts', 'pools', 'agents']) void client.invalidateQueries({ queryKey: [key] })
      onClose()
      if (made) onDone?.((made as { id: number }).id)
    }, setTrouble)
  }
  return (
    <Dialog title={robot ? `Robot ${robot.name}` : 'Register a robot'} isOpen={isOpen} onClose={onClose} width={560}>
      <form onSubmit={submit}>
        <Stack $gap={12}>
          <Trouble error={trouble?.errors.length === 0 ? trouble : null} />
          <Row $top $gap={12}>
            <TextField
              label="Name"
              value={name}
              onChange={setName}
              error={faultOf('name')}
              mono
              autoFocus
              width="240px"
            />
            {robot ? (
              <Small style={{ paddingTop: 22 }}>on {robot.agent}</Small>
            ) : (
              <Select
                label="On the machine of agent"
                value={agent}
                onChange={setAgent}
                choices={agents
                  .filter(({ state }) => state !== 'revoked')
                  .map((each) => ({ id: each.name, title: each.name }))}
                placeholder="Choose an agent"
                error={faultOf('agentId')}
                width="240px"
              />
            )}
          </Row>
          <Row $top $gap={12}>
            <Select
              label="Under the account"
              value={account}
              onChange={setAccount}
              choices={[
                ...(robot ? [] : [{ id: NEW, title: 'a new one' }]),
                ...accounts.map((each) => ({ id: String(each.id), title: `${each.name} (${each.userName})` })),
              ]}
              error={account === NEW ? undefined : (faultBelow('account') ?? faultOf('accountId'))}
              width="240px"
            />
            <Select
              label="Kind"
              value={kind}
              onChange={setKind}
              choices={[
                { id: 'unattended', title: 'unattended: nobody sits at it' },
                { id: 'attended', title: 'attended: a person is at it' },
              ]}
              width="240px"
            />
          </Row>
          {kind === 'attended' && (
            <Row $top $gap={12}>
              <Select
                label="Who sits at it"
                value={personId === null ? '' : String(personId)}
                onChange={(chosen) => setPersonId(chosen === '' ? null : Number(chosen))}
                choices={[
                  { id: '', title: 'nobody in particular' },
                  ...people.filter(({ active }) => active).map(({ id, name }) => ({ id: String(id), title: name })),
                ]}
                error={faultOf('personId')}
                width="240px"
              />
              <Small style={{ paddingTop: 22, width: 240 }}>
                They are asked before a task begins, and may start tasks of this robot from there, as far as they may.
              </Small>
            </Row>
          )}
          {account === NEW && (
            <Row $top $gap={12}>
              <TextField
                label="User name on that machine"
                value={fresh.userName}
                onChange={(userName) => setFresh({ ...fresh, userName })}
                error={faultBelow('account')}
                autoComplete="off"
                width="240px"
              />
              <TextField
                label="Secret"
                type="password"
                value={fresh.secret}
                onChange={(secret) => setFresh({ ...fresh, secret })}
                hint="Its sign-in is tried at once. Kept encrypted, never shown again."
                autoComplete="new-password"
                width="240px"
              />
            </Row>
          )}
          <Row $top $gap={12}>
            <TextField
              label="May work from"
              value={hours.earliest}
              onChange={(earliest) => setHours({ ...hours, earliest })}
              error={faultOf('earliest')}
              placeholder="any time"
              width="114px"
            />
            <TextField
              label="until"
              value={hours.latest}
              onChange={(latest) => setHours({ ...hours, latest })}
              error={faultOf('latest')}
              placeholder="any time"
              width="114px"
            />
            <Select
              label="on the days of"
              value={calendar}
              onChange={setCalendar}
              choices={[{ id: '', title: 'every day' }, ...calendars.map(({ slug, title }) => ({ id: slug, title }))]}
              error={faultOf('calendar')}
              width="240px"
            />
          </Row>
          {pools.length > 0 && (
            <Stack $gap={3}>
              <Small>Pools that it belongs to</Small>
              <Row $wrap $gap={14}>
                {pools.map((pool) => (
                  <Checkbox
                    key={pool.id}
                    isSelected={mine.has(pool.id)}
                    onChange={(on) => setChosen(withOrWithout(mine, pool.id, on))}
                  >
                    {pool.name}
                  </Checkbox>
                ))}
              </Row>
            </Stack>
          )}
          <Stack $gap={3}>
            <Small>Labels</Small>
            <LabelsField value={labels} onChange={setLabels} error={faultBelow('labels')} />
          </Stack>
          <TextField label="Notes" value={notes} onChange={setNotes} error={faultOf('notes')} />
          <DialogButtons onClose={onClose}>{robot ? 'Save' : 'Register it'}</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
