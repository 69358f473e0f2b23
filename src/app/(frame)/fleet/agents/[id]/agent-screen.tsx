'use client'
import dynamic from 'next/dynamic'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useState, type ReactNode } from 'react'
import { AGENT_STATE_WORDS } from '@/core/fleet/words'
import type { AgentEvent, AgentRow, RefusedRow } from '@/service/fleet/fleet'
import { ROBOT_STATES } from '@/core/fleet/robot-state'
import type { RobotRow } from '@/service/fleet/robots'
import type { RunPage } from '@/service/runs/run-list'
import type { ApiProblem } from '@/ui/api'
import { inHand } from '@/app/shared/runs/in-hand'
import { api } from '@/ui/api'
import { duration } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { comingNight, whatIfPath } from '@/app/shared/timing/what-if'
import { Button, ButtonLink } from '@/ui/parts/button'
import { Crumb } from '@/ui/parts/crumb'
import { Confirm, Dialog, DialogButtons } from '@/ui/parts/dialog'
import { TextField } from '@/ui/parts/fields'
import { FactItem, Facts, Mute, Page, Panel, Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateChip, StateWord, type Mark } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'
import { Ago, Time, Took } from '@/ui/parts/time'
import { LabelsField } from '@/app/shared/work/pairs-field'
import { ROBOT_MARKS } from '../../robot-words'
import { Traces } from './traces'

/** Abilities that are no kind of step: told apart. */
const BESIDES = ['files', 'desk', 'trace']

const Busy = dynamic(() => import('./busy').then((module) => module.Busy), { ssr: false })

const MachineMeasures = dynamic(() => import('./machine-measures').then((module) => module.MachineMeasures), {
  ssr: false,
})

export function AgentScreen({ id }: { id: number }): ReactNode {
  const { data: agent, error } = useQuery({
    queryKey: ['agents', id],
    queryFn: () => api.get<AgentRow>(`/agents/${id}`),
    refetchInterval: 15_000,
  })
  if (error) {
    return (
      <Page>
        <Trouble error={error} />
      </Page>
    )
  }
  if (!agent) return <Page aria-busy="true" />
  return (
    <Page>
      <Head agent={agent} />
      <Facts>
        <FactItem name="host">{agent.host}</FactItem>
        <FactItem name="system">
          {agent.system}, {agent.arch}
        </FactItem>
        <FactItem name="agent version">
          {agent.version}
          {agent.isOutdated && <Small style={{ color: 'var(--late)' }}> behind this server’s</Small>}
        </FactItem>
        <FactItem name="runtime">{agent.runtime}</FactItem>
        <FactItem name="slots in use">
          <Link href={inHand({ agent: agent.id })}>{agent.used}</Link> of {agent.slots}
        </FactItem>
        <FactItem name="last contact">
          {agent.lastContactAt ? <Time at={agent.lastContactAt} withRelative /> : 'never'}
        </FactItem>
        {agent.fullSince && (
          <FactItem name="disk">
            <span style={{ color: 'var(--failed)' }}>full, takes no new runs</span> since <Time at={agent.fullSince} />
          </FactItem>
        )}
        <FactItem name="carries out">
          {agent.abilities.filter((ability) => !BESIDES.includes(ability)).join(', ') || 'nothing'}
          {agent.denies.length > 0 && (
            <Small title="Its machine’s owner denies it, or it is an older agent.">
              {' '}
              · not {agent.denies.join(', ')}
            </Small>
          )}
        </FactItem>
        {agent.through && <FactItem name="calls through">{agent.through}</FactItem>}
        {agent.relayPort && <FactItem name="relay for others">at port {agent.relayPort}</FactItem>}
        {agent.abilities.includes('files') && <FactItem name="looks for files">of triggers</FactItem>}
        <FactItem name="pools">
          {agent.pools.map((p) => (p.active ? p.name : `${p.name} (off)`)).join(', ') || '—'}
        </FactItem>
        <FactItem name="labels">
          {Object.entries(agent.labels)
            .map(([k, v]) => `${k}=${v}`)
            .join(' ') || '—'}
        </FactItem>
        <FactItem name="enrolled">
          <Time at={agent.enrolledAt} />
        </FactItem>
      </Facts>
      <Row $top $gap={12} style={{ minHeight: 0 }}>
        <Stack style={{ flex: 3 }} $gap={12}>
          <Busy agent={agent} />
          <MachineMeasures agent={agent} />
          <Runs agent={agent} />
        </Stack>
        <Stack style={{ flex: 2 }} $gap={12}>
          <AgentRobots agent={agent} />
          <Events agent={agent} />
          <Refused agent={agent} />
          <Traces agent={agent} />
        </Stack>
      </Row>
    </Page>
  )
}

function Head({ agent }: { agent: AgentRow }): ReactNode {
  const { why } = useMay('administer')
  const operate = useMay('operate')
  const client = useQueryClient()
  const say = useSay()
  const [revoking, setRevoking] = useState(false)
  const [editing, setEditing] = useState(false)
  const act = (work: Promise<unknown>, done: string): void => {
    work.then(
      () => {
        void client.invalidateQueries({ queryKey: ['agents'] })
        say(done)
      },
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  const isRevoked = agent.state === 'revoked'
  return (
    <Row $wrap>
      <Crumb href="/fleet">Fleet</Crumb>
      <h1>{agent.name}</h1>
      <StateChip mark={agent.state as Mark}>{AGENT_STATE_WORDS[agent.state]}</StateChip>
      {agent.isSimulated && <Small>simulated machine</Small>}
      <Spring />
      {!isRevoked && (
        <>
          <Button onPress={() => setEditing(true)} whyNot={why}>
            Slots and labels
          </Button>
          <Button
            onPress={() =>
              act(
                api.patch(`/agents/${agent.id}`, { draining: !agent.draining }),
                agent.draining
                  ? `${agent.name} takes work again.`
                  : `${agent.name} finishes what it has and takes nothing new.`,
              )
            }
            whyNot={operate.why}
          >
            {agent.draining ? 'Take work again' : 'Drain'}
          </Button>
          <Button
            onPress={() =>
              act(
                api.patch(`/agents/${agent.id}`, { active: !agent.active }),
                agent.active
                  ? `${agent.name} is switched off. What runs on it goes on.`
                  : `${agent.name} is switched on.`,
              )
            }
            whyNot={why}
          >
            {agent.active ? 'Switch off' : 'Switch on'}
          </Button>
          <Button kind="danger" onPress={() => setRevoking(true)} whyNot={why}>
            Revoke
          </Button>
        </>
      )}
      <Confirm
        title={`Revoke ${agent.name}?`}
        isOpen={revoking}
        onClose={() => setRevoking(false)}
        word="Revoke it"
        onConfirm={() => act(api.post(`/agents/${agent.id}/revoke`), `${agent.name} is revoked.`)}
      >
        Its credential stops working at once and for ever.{' '}
        {agent.used > 0
          ? `The ${agent.used} slots of work on it are given up as lost when their lease runs out.`
          : 'Nothing runs on it now.'}{' '}
        To use the machine again it has to be enrolled anew.
      </Confirm>
      <EditAgent
        // What is edited begins with how it is now.
        key={JSON.stringify([editing, agent.slots, agent.labels])}
        agent={agent}
        isOpen={editing}
        onClose={() => setEditing(false)}
        onSave={(change) => act(api.patch(`/agents/${agent.id}`, change), `${agent.name} is changed.`)}
      />
    </Row>
  )
}

function EditAgent({
  agent,
  isOpen,
  onClose,
  onSave,
}: {
  agent: AgentRow
  isOpen: boolean
  onClose: () => void
  onSave: (change: object) => void
}): ReactNode {
  const [slots, setSlots] = useState(String(agent.slots))
  const [labels, setLabels] = useState(agent.labels)
  const fault =
    /^\d+$/.test(slots) && Number(slots) >= 1 && Number(slots) <= 1024 ? undefined : 'A whole number from 1 to 1024.'
  return (
    <Dialog title={`Slots and labels of ${agent.name}`} isOpen={isOpen} onClose={onClose} width={420}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          if (fault) return
          onSave({ slots: Number(slots), labels })
          onClose()
        }}
      >
        <Stack $gap={12}>
          <TextField label="Slots: how much it carries out at once" value={slots} onChange={setSlots} error={fault} />
          <Stack $gap={3}>
            <Small>Labels</Small>
            <LabelsField value={labels} onChange={setLabels} />
          </Stack>
          <DialogButtons onClose={onClose}>Save</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}

function Runs({ agent }: { agent: AgentRow }): ReactNode {
  const router = useRouter()
  const { data } = useQuery({
    queryKey: ['runs', 'agent', agent.id],
    queryFn: () => api.get<RunPage>(`/runs?agent=${agent.id}&limit=12`),
  })
  const rows = [...(data?.rows ?? [])].sort(
    (a, b) => Number(b.state === 'running') - Number(a.state === 'running') || b.id - a.id,
  )
  return (
    <Panel>
      <Row style={{ padding: '8px 12px 2px' }}>
        <h2>What it does and did</h2>
        <Spring />
        <ButtonLink href={`/runs?agent=${agent.id}`}>All its runs</ButtonLink>
        <ButtonLink href={whatIfPath({ away: { agent: agent.name, ...comingNight() } })}>
          What if it is away …
        </ButtonLink>
      </Row>
      {rows.length === 0 ? (
        <Mute style={{ padding: '0 12px 12px', display: 'block' }}>Nothing has run on it yet.</Mute>
      ) : (
        <Table
          label="Runs of this agent"
          rows={rows}
          onOpen={(run) => router.push(`/runs/${run.id}`)}
          columns={[
            { id: 'number', title: 'Run', cell: (r) => <Link href={`/runs/${r.id}`}>#{r.id}</Link> },
            { id: 'state', title: 'State', cell: (r) => <StateWord mark={r.state} /> },
            { id: 'job', title: 'Job', cell: (r) => <b>{r.title}</b> },
            { id: 'started', title: 'Started', cell: (r) => <Time at={r.startedAt} /> },
            {
              id: 'took',
              title: 'Took',
              align: 'right',
              cell: (r) => (r.durationMs !== null ? duration(r.durationMs) : <Took from={r.startedAt} to={null} />),
            },
          ]}
        />
      )}
    </Panel>
  )
}

function Events({ agent }: { agent: AgentRow }): ReactNode {
  const { data = [] } = useQuery({
    queryKey: ['agents', agent.id, 'events'],
    queryFn: () => api.get<AgentEvent[]>(`/agents/${agent.id}/events`),
  })
  return (
    <Panel style={{ padding: '8px 0 0' }}>
      <h2 style={{ padding: '0 12px 4px' }}>Key events</h2>
      <Table
        label="Key events"
        rows={data.slice(0, 30)}
        columns={[
          { id: 'at', title: 'When', cell: (e) => <Time at={e.at} /> },
          { id: 'kind', title: 'What', cell: (e) => (e.times > 1 ? `${e.kind}, ${e.times} times` : e.kind) },
          { id: 'detail', title: '', cell: (e) => <Small title={e.detail}>{e.detail}</Small> },
        ]}
      />
    </Panel>
  )
}

/** Robots that work on its machine. */
function AgentRobots({ agent }: { agent: AgentRow }): ReactNode {
  const router = useRouter()
  const { data = [] } = useQuery({
    queryKey: ['robots', { agent: agent.name }],
    queryFn: () => api.get<RobotRow[]>(`/robots?agent=${encodeURIComponent(agent.name)}`),
  })
  if (data.length === 0) return null
  return (
    <Panel style={{ padding: '8px 0 0' }}>
      <Row style={{ padding: '0 12px 4px' }}>
        <h2>Its robots</h2>
        <Spring />
        <ButtonLink href={`/fleet?tab=robots&machine=${encodeURIComponent(agent.name)}`}>Who did what</ButtonLink>
      </Row>
      <Table
        label="Robots of this agent"
        rows={data}
        onOpen={(robot) => router.push(`/fleet/robots/${robot.id}`)}
        columns={[
          { id: 'name', title: 'Robot', cell: (b) => <Link href={`/fleet/robots/${b.id}`}>{b.name}</Link> },
          {
            id: 'state',
            title: 'State',
            cell: (b) => <StateWord mark={ROBOT_MARKS[b.state]} word={ROBOT_STATES[b.state]} />,
          },
          { id: 'since', title: 'Since', cell: (b) => b.since && <Ago at={String(b.since)} /> },
          { id: 'kind', title: 'Kind', cell: (b) => <Small>{b.kind}</Small> },
          { id: 'account', title: 'Account', cell: (b) => b.account },
        ]}
      />
    </Panel>
  )
}

const REFUSED_WORDS: Record<RefusedRow['kind'], string> = {
  stale: 'of a try that was not its own any more',
  unstorable: 'could not be kept',
  superseded: 'over a connection that another had replaced',
}

/** What it said that was not taken: nothing is shown where there is nothing. */
function Refused({ agent }: { agent: AgentRow }): ReactNode {
  const { data = [] } = useQuery({
    queryKey: ['agents', agent.id, 'refused'],
    queryFn: () => api.get<RefusedRow[]>(`/agents/${agent.id}/refused`),
  })
  if (data.length === 0) return null
  return (
    <Panel style={{ padding: '8px 0 0' }}>
      <h2 style={{ padding: '0 12px 4px' }}>Reports not taken</h2>
      <Table
        label="Reports not taken"
        rows={data.map((row, id) => ({ ...row, id }))}
        columns={[
          { id: 'at', title: 'Last', cell: (r) => <Time at={r.lastAt} /> },
          { id: 'times', title: 'Times', align: 'right', cell: (r) => r.times.toLocaleString('en-GB') },
          { id: 'run', title: 'Run', cell: (r) => r.runId && <Link href={`/runs/${r.runId}`}>#{r.runId}</Link> },
          { id: 'why', title: 'Why', cell: (r) => <span title={r.reason}>{REFUSED_WORDS[r.kind]}</span> },
        ]}
      />
    </Panel>
  )
}
