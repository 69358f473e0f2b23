'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { AccountRow } from '@/service/fleet/accounts'
import type { AgentRow } from '@/service/fleet/fleet'
import type { AreaRow } from '@/service/work/areas'
import type { ApiProblem } from '@/ui/api'
import { ExportButton } from '@/app/shared/exports/export-button'
import { api } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { useNow } from '@/ui/hooks/now'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Confirm, Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { ListField } from '@/ui/parts/list-field'
import { Empty, Mono, Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { RowActions } from '@/ui/parts/row-actions'
import { Table } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'

const DAY_MS = 86_400_000

/** Accounts that work runs under or signs in with. Their secrets go in here and never come out. */
export function Accounts(): ReactNode {
  const { data: rows, isSuccess } = useQuery({
    queryKey: ['accounts'],
    queryFn: () => api.get<AccountRow[]>('/accounts'),
  })
  const { why } = useMay('administer')
  const client = useQueryClient()
  const say = useSay()
  const now = useNow(60_000)
  const [editing, setEditing] = useState<AccountRow | 'new' | null>(null)
  const [removing, setRemoving] = useState<AccountRow | null>(null)
  return (
    <>
      <Row style={{ padding: '8px 12px' }}>
        <Small>A user name and a secret that jobs sign in with, or run under, on the agents that have it.</Small>
        <Spring />
        <ExportButton list="accounts" />
        <Button onPress={() => setEditing('new')} whyNot={why}>
          New account
        </Button>
      </Row>
      {isSuccess && rows.length === 0 ? (
        <Empty title="No account yet">
          Jobs that use a database, move files or run on machines without an agent sign in with an account. Its secret
          is kept encrypted, given only to the run that needs it, and shown to nobody.
        </Empty>
      ) : (
        <Table
          label="Accounts"
          rows={rows ?? []}
          onOpen={(row) => why === undefined && setEditing(row)}
          columns={[
            { id: 'name', title: 'Account', cell: (row) => <Mono>{row.name}</Mono> },
            { id: 'user', title: 'User name', cell: (row) => row.userName },
            {
              id: 'secret',
              title: 'Secret',
              cell: (row) =>
                row.hasSecret ? (
                  <>
                    since <Time at={row.rotatedAt} />
                    {row.goodUntil && (
                      <span style={Date.parse(row.goodUntil) < now + 14 * DAY_MS ? { color: 'var(--late)' } : {}}>
                        , good until <Time at={row.goodUntil} />
                      </span>
                    )}
                  </>
                ) : (
                  <Small>none</Small>
                ),
            },
            {
              id: 'hosts',
              title: 'Signs in at',
              cell: (row) => (row.hosts.length > 0 ? <Mono>{row.hosts.join(', ')}</Mono> : <Small>no host</Small>),
            },
            {
              id: 'where',
              title: 'On',
              cell: (row) =>
                row.everywhere
                  ? 'every agent'
                  : row.agents.map(({ name }) => name).join(', ') || <Small>no agent</Small>,
            },
            {
              id: 'jobs',
              title: 'Used by',
              cell: (row) =>
                [
                  ...(row.jobs > 0 || row.robots.length === 0 ? [count(row.jobs, 'job')] : []),
                  ...row.robots.map(({ name }) => name),
                ].join(', '),
            },
            { id: 'notes', title: 'Notes', cell: (row) => <Small>{row.notes}</Small> },
            {
              id: 'act',
              title: '',
              cell: (row) => (
                <RowActions
                  name={row.name}
                  onChange={() => setEditing(row)}
                  onRemove={() => setRemoving(row)}
                  whyNot={why}
                />
              ),
            },
          ]}
        />
      )}
      <AccountDialog
        key={editing === null ? '' : editing === 'new' ? 'new' : editing.id}
        account={editing === 'new' ? null : editing}
        isOpen={editing !== null}
        onClose={() => setEditing(null)}
      />
      <Confirm
        title={`Remove ${removing?.name ?? ''}?`}
        isOpen={removing !== null}
        onClose={() => setRemoving(null)}
        word="Remove it"
        onConfirm={() => {
          api.delete(`/accounts/${removing?.id}`).then(
            () => void client.invalidateQueries({ queryKey: ['accounts'] }),
            (error: ApiProblem) => say(error.detail, { bad: true }),
          )
        }}
      >
        Its secret is erased. Jobs that name it could not run any more: while there are any, it stays.
      </Confirm>
    </>
  )
}

/** The end of a day as it was typed; what was there stays as it is while the day is the same, and what is no day goes to the server, which says so. */
function endOfDay(day: string, before: string | null): string | null {
  if (day.trim() === '') return null
  if (before?.slice(0, 10) === day) return before
  return /^\d{4}-\d\d-\d\d$/.test(day) ? `${day}T23:59:59Z` : day
}

function AccountDialog({
  account,
  isOpen,
  onClose,
}: {
  /** null: a new one. */
  account: AccountRow | null
  isOpen: boolean
  onClose: () => void
}): ReactNode {
  const client = useQueryClient()
  const { data: agents = [] } = useQuery({ queryKey: ['agents'], queryFn: () => api.get<AgentRow[]>('/agents') })
  const [name, setName] = useState('')
  const [userName, setUserName] = useState(account?.userName ?? '')
  const [secret, setSecret] = useState('')
  const [goodUntil, setGoodUntil] = useState(account?.goodUntil?.slice(0, 10) ?? '')
  const [notes, setNotes] = useState(account?.notes ?? '')
  const [everywhere, setEverywhere] = useState(account?.everywhere ?? false)
  const { data: areas = [] } = useQuery({ queryKey: ['areas'], queryFn: () => api.get<AreaRow[]>('/areas') })
  const [hosts, setHosts] = useState<readonly string[]>(account?.hosts ?? [])
  const [plain, setPlain] = useState(account?.plain ?? false)
  const [unknownHosts, setUnknownHosts] = useState(account?.unknownHosts ?? false)
  const [areaIds, setAreaIds] = useState<readonly number[] | null>(account?.areaIds ?? null)
  const [agentIds, setAgentIds] = useState<readonly number[]>(account?.agents.map(({ id }) => id) ?? [])
  const { trouble, setTrouble, faultOf } = useTrouble()
  const save = (): Promise<unknown> => {
    const where = { everywhere, agentIds: everywhere ? [] : agentIds, areaIds }
    // Until the end of that day.
    const body = {
      goodUntil: endOfDay(goodUntil, account?.goodUntil ?? null),
      userName,
      notes,
      hosts,
      plain,
      unknownHosts,
      ...where,
    }
    const fresh = secret === '' ? {} : { secret }
    return account
      ? api.put(`/accounts/${account.id}`, { ...body, ...fresh })
      : api.post('/accounts', { ...body, ...fresh, name })
  }
  return (
    <Dialog title={account ? `Account ${account.name}` : 'New account'} isOpen={isOpen} onClose={onClose} width={480}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          save().then(() => {
            void client.invalidateQueries({ queryKey: ['accounts'] })
            onClose()
          }, setTrouble)
        }}
      >
        <Stack $gap={12}>
          <Trouble error={trouble?.errors.length === 0 ? trouble : null} />
          {!account && (
            <TextField label="Name" value={name} onChange={setName} error={faultOf('name')} mono autoFocus />
          )}
          <TextField
            label="User name"
            value={userName}
            onChange={setUserName}
            error={faultOf('userName')}
            autoComplete="off"
          />
          <TextField
            label={account?.hasSecret ? 'New secret' : 'Secret'}
            type="password"
            value={secret}
            onChange={setSecret}
            error={faultOf('secret')}
            hint={
              account?.hasSecret
                ? 'Leave it empty to keep the one that is there. A new one counts for runs that begin from now on.'
                : 'A password, or a private key for SSH. Kept encrypted; never shown again.'
            }
            autoComplete="new-password"
          />
          <TextField
            label="The secret is good until"
            value={goodUntil}
            onChange={setGoodUntil}
            error={faultOf('goodUntil')}
            placeholder="for ever"
            hint="A day as 2027-03-31, if its machine lets it end then: you are told 14 and 3 days before."
            width="200px"
          />
          <TextField label="Notes" value={notes} onChange={setNotes} error={faultOf('notes')} />
          <ListField
            label="Signs in at"
            value={hosts}
            onChange={setHosts}
            error={trouble?.errors.find(({ path }) => path.startsWith('hosts'))?.message}
            hint="Hosts that its secret may go to, such as files.marram.example, or *.marram.example for all below it. It goes nowhere else."
            mono
          />
          <Checkbox isSelected={plain} onChange={setPlain}>
            may be sent unencrypted (HTTP or mail without TLS)
          </Checkbox>
          <Checkbox isSelected={unknownHosts} onChange={setUnknownHosts}>
            may be sent to machines whose host key is not written down
          </Checkbox>
          <Checkbox isSelected={everywhere} onChange={setEverywhere}>
            on every agent
          </Checkbox>
          {!everywhere && (
            <Row $wrap>
              {agents
                .filter(({ state }) => state !== 'revoked')
                .map((agent) => (
                  <Checkbox
                    key={agent.id}
                    isSelected={agentIds.includes(agent.id)}
                    onChange={(on) =>
                      setAgentIds((before) => (on ? [...before, agent.id] : before.filter((each) => each !== agent.id)))
                    }
                  >
                    {agent.name}
                  </Checkbox>
                ))}
            </Row>
          )}
          <Checkbox isSelected={areaIds === null} onChange={(all) => setAreaIds(all ? null : [])}>
            for work of every area
          </Checkbox>
          {areaIds !== null && (
            <Row $wrap $gap={10}>
              {areas.map((area) => (
                <Checkbox
                  key={area.id}
                  isSelected={areaIds.includes(area.id)}
                  onChange={(on) => setAreaIds(on ? [...areaIds, area.id] : areaIds.filter((each) => each !== area.id))}
                >
                  {area.path}
                </Checkbox>
              ))}
            </Row>
          )}
          <DialogButtons onClose={onClose}>{account ? 'Save' : 'Add'}</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
