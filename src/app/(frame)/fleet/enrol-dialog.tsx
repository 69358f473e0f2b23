'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import type { EnrolmentRow } from '@/service/fleet/enrol'
import type { PoolRow } from '@/service/fleet/fleet'
import type { ApiProblem } from '@/ui/api'
import { api } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { Button, ButtonLink } from '@/ui/parts/button'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Select } from '@/ui/parts/select'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateMark } from '@/ui/parts/state-mark'
import { withOrWithout } from '@/ui/sets'
import { Time } from '@/ui/parts/time'
import { RELAY_PORT } from '@/core/net/relays'
import { slugOf } from '@/core/schema/slug'
import { LabelsField } from '@/app/shared/work/pairs-field'

const Command = styled.pre`
  background: var(--deck);
  color: #fffdf8;
  border-radius: 3px;
  padding: 10px 12px;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  font:
    12px/18px 'JetBrains Mono Variable',
    monospace;
`
const Row2 = styled.li`
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 6px 0;
  border-top: 1px solid var(--line);
  flex-wrap: wrap;
`

interface Made {
  readonly id: number
  readonly key: string
  readonly expiresAt: string
  readonly command: string
}

const CALLING = {
  straight: 'this server, straight',
  through: 'through relays: they cannot reach it',
  relay: 'straight, and are relays for others',
} as const

/** Makes a key, shows one command to paste, and waits until the agent appears by itself. */
export function EnrolDialog({ isOpen, onClose }: { isOpen: boolean; onClose: () => void }): ReactNode {
  const [made, setMade] = useState<Made | null>(null)
  const close = (): void => {
    setMade(null)
    onClose()
  }
  return (
    <Dialog title="Enrol an agent" isOpen={isOpen} onClose={close} width={680}>
      {made ? <Waiting made={made} onClose={close} /> : <AskForKey onMade={setMade} onClose={close} />}
    </Dialog>
  )
}

function AskForKey({ onMade, onClose }: { onMade: (made: Made) => void; onClose: () => void }): ReactNode {
  const { data: pools = [] } = useQuery({ queryKey: ['pools'], queryFn: () => api.get<PoolRow[]>('/pools') })
  const [uses, setUses] = useState('1')
  const [minutes, setMinutes] = useState('60')
  const [slots, setSlots] = useState('2')
  const [labels, setLabels] = useState<Record<string, string>>({})
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set())
  const [newPool, setNewPool] = useState('')
  const [calling, setCalling] = useState<keyof typeof CALLING>('straight')
  const [through, setThrough] = useState('')
  const [port, setPort] = useState(String(RELAY_PORT))
  const client = useQueryClient()
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  const faultOf = (path: string): string | undefined =>
    trouble?.errors.find((fault) => fault.path.startsWith(path))?.message
  const addPool = async (title: string): Promise<number[]> => {
    const { id } = await api.post<{ id: number }>('/pools', { name: slugOf(title), title })
    // Should the key be refused, the pool is there: it is chosen, and not made twice.
    setNewPool('')
    setChosen((before) => new Set([...before, id]))
    await client.invalidateQueries({ queryKey: ['pools'] })
    return chosen.has(id) ? [] : [id]
  }
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    setTrouble(null)
    const pool = newPool.trim()
    const made = pool === '' ? Promise.resolve([]) : addPool(pool)
    made
      .then((added) =>
        api.post<Made>('/enrolment-keys', {
          uses: Number(uses),
          minutes: Number(minutes),
          slots: Number(slots),
          labels,
          poolIds: [...chosen, ...added],
          ...(calling === 'through' ? { through } : calling === 'relay' ? { relay: Number(port) } : {}),
        }),
      )
      .then(onMade, setTrouble)
  }
  return (
    <form onSubmit={submit}>
      <Stack $gap={12}>
        <p>You get one command to paste on the machine. It needs Node 18 or newer there, and nothing else.</p>
        {trouble && trouble.errors.length === 0 && <Trouble error={trouble} />}
        <Row $top $gap={12}>
          <TextField
            label="For how many machines"
            value={uses}
            onChange={setUses}
            error={faultOf('uses')}
            width="150px"
          />
          <Select
            label="The key is good for"
            value={minutes}
            onChange={setMinutes}
            choices={[
              { id: '15', title: '15 minutes' },
              { id: '60', title: 'an hour' },
              { id: '1440', title: 'a day' },
              { id: '10080', title: 'a week' },
            ]}
            width="150px"
          />
          <TextField label="Slots each" value={slots} onChange={setSlots} error={faultOf('slots')} width="100px" />
        </Row>
        <Stack $gap={3}>
          <Small>Labels they get</Small>
          <LabelsField value={labels} onChange={setLabels} error={faultOf('labels')} />
        </Stack>
        <Stack $gap={3}>
          <Small>Pools they join</Small>
          <Row $wrap $gap={14}>
            {pools.map((pool) => (
              <Checkbox
                key={pool.id}
                isSelected={chosen.has(pool.id)}
                onChange={(on) => setChosen(withOrWithout(chosen, pool.id, on))}
              >
                {pool.name}
              </Checkbox>
            ))}
            <TextField
              label="A new pool"
              hideLabel
              placeholder="and a new pool"
              value={newPool}
              onChange={setNewPool}
              error={faultOf('name') ?? faultOf('title')}
              width="160px"
            />
          </Row>
        </Stack>
        <Row $top $gap={12}>
          <Select
            label="They call"
            value={calling}
            onChange={(value) => setCalling(value as keyof typeof CALLING)}
            choices={Object.entries(CALLING).map(([id, title]) => ({ id, title }))}
            width="290px"
          />
          {calling === 'through' && (
            <TextField
              label="Relays, tried in this order"
              placeholder={`kelda-gate1:${RELAY_PORT}, kelda-gate2:${RELAY_PORT}`}
              value={through}
              onChange={setThrough}
              error={faultOf('through')}
              width="320px"
            />
          )}
          {calling === 'relay' && (
            <TextField label="Port" value={port} onChange={setPort} error={faultOf('relay')} width="100px" />
          )}
        </Row>
        <DialogButtons onClose={onClose}>Make the command</DialogButtons>
      </Stack>
    </form>
  )
}

function Waiting({ made, onClose }: { made: Made; onClose: () => void }): ReactNode {
  const say = useSay()
  const client = useQueryClient()
  const { data: rows = [] } = useQuery({
    queryKey: ['enrolments', made.id],
    queryFn: () => api.get<EnrolmentRow[]>(`/enrolment-keys/${made.id}/enrolments`),
    refetchInterval: 2000,
  })
  const answer = (id: number, word: 'replace' | 'add' | 'refuse'): void => {
    api.post(`/enrolments/${id}/answer`, { answer: word }).then(
      () => client.invalidateQueries({ queryKey: ['enrolments'] }),
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <Stack $gap={12}>
      <p>
        Paste this in a shell on the machine. It fetches the agent from this server, checks it, enrols it and keeps it
        running. The key is shown only here and is good until <Time at={made.expiresAt} />.
      </p>
      <Command tabIndex={0} aria-label="The command to paste">
        {made.command}
      </Command>
      <Row>
        <Button
          kind="strong"
          onPress={() =>
            void navigator.clipboard.writeText(made.command).then(
              () => say('Copied.'),
              () => say('The browser does not allow copying here. Select the text instead.', { bad: true }),
            )
          }
        >
          Copy
        </Button>
        <Spring />
        <Button onPress={onClose}>{rows.some((row) => row.connected) ? 'Done' : 'Close'}</Button>
      </Row>
      <ul aria-live="polite">
        {rows.length === 0 && (
          <Row2>
            <StateMark mark="running" /> Waiting for an agent to call …
          </Row2>
        )}
        {rows.map((row) => (
          <Row2 key={row.id}>
            {row.state === 'asking' ? (
              <>
                <StateMark mark="late" />
                <span>
                  {row.host} is enrolled already as <b>{row.existingName}</b>
                  {row.existingContactAt && (
                    <>
                      , last heard of <Time at={row.existingContactAt} withRelative />
                    </>
                  )}
                  .
                </span>
                <Spring />
                <Button onPress={() => answer(row.id, 'replace')}>Replace it</Button>
                <Button onPress={() => answer(row.id, 'add')}>Add a second one</Button>
                <Button kind="danger" onPress={() => answer(row.id, 'refuse')}>
                  Refuse
                </Button>
              </>
            ) : row.state === 'refused' ? (
              <>
                <StateMark mark="cancelled" /> {row.host} was refused.
              </>
            ) : (
              <>
                <StateMark mark={row.connected ? 'succeeded' : 'running'} />
                {row.agentId ? <Link href={`/fleet/agents/${row.agentId}`}>{row.agentName}</Link> : row.host}{' '}
                {row.connected ? 'is connected.' : 'is enrolled; waiting for its first call …'}
                {row.connected && row.agentName !== null && (
                  <>
                    <Spring />
                    <ButtonLink href={`/fleet?tab=robots&register=1&on=${encodeURIComponent(row.agentName)}`}>
                      Register a robot on it
                    </ButtonLink>
                    <ButtonLink href={`/work/jobs/new?agent=${encodeURIComponent(row.agentName)}`}>
                      Write a job for it
                    </ButtonLink>
                  </>
                )}
              </>
            )}
          </Row2>
        ))}
      </ul>
    </Stack>
  )
}
