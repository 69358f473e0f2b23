'use client'
import dynamic from 'next/dynamic'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useState, type ReactNode } from 'react'
import { StretchSelect, useStretch } from '@/app/shared/stretch-select'
import { ROBOT_STATES } from '@/core/fleet/robot-state'
import type { RobotWork } from '@/service/fleet/robot-work'
import type { RobotRow } from '@/service/fleet/robots'
import type { ApiProblem } from '@/ui/api'
import { api } from '@/ui/api'
import { count, duration } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { Button, ButtonLink } from '@/ui/parts/button'
import { Crumb } from '@/ui/parts/crumb'
import { Confirm } from '@/ui/parts/dialog'
import { FactItem, Facts, Mute, Page, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateChip, StateWord, type Mark } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'
import { RobotLane } from '../../robot-lane'
import { ROBOT_MARKS } from '../../robot-words'

const RobotDialog = dynamic(() => import('../../robot-dialog').then((module) => module.RobotDialog), { ssr: false })

export function RobotScreen({ id }: { id: number }): ReactNode {
  const { data: robot, error } = useQuery({
    queryKey: ['robots', id],
    queryFn: () => api.get<RobotRow>(`/robots/${id}`),
    refetchInterval: (query) => (query.state.data?.isTrying ? 1000 : 15_000),
  })
  if (error)
    return (
      <Page>
        <Trouble error={error} />
      </Page>
    )
  if (!robot) return <Page aria-busy="true" />
  return (
    <Page>
      <Head robot={robot} />
      {robot.why && robot.state !== 'out-of-hours' && (
        <p>
          {robot.name} {robot.why}.
        </p>
      )}
      <Facts>
        <FactItem name="since">
          {robot.since ? <Time at={String(robot.since)} withRelative /> : 'it was registered'}
        </FactItem>
        <FactItem name="machine">
          <Link href={`/fleet/agents/${robot.agentId}`}>{robot.agent}</Link>
        </FactItem>
        <FactItem name="account">
          {robot.account} ({robot.userName})
        </FactItem>
        <FactItem name="sign-in">
          {robot.isTrying ? (
            'is being tried …'
          ) : robot.triedAt === null ? (
            'not tried yet'
          ) : (
            <>
              {robot.tryFault === null ? 'works' : <span style={{ color: 'var(--failed)' }}>{robot.tryFault}</span>},{' '}
              <Time at={String(robot.triedAt)} withRelative />
            </>
          )}
        </FactItem>
        {robot.goodUntil && (
          <FactItem name="secret is good until">
            <Time at={String(robot.goodUntil)} withRelative />
          </FactItem>
        )}
        <FactItem name="kind">{robot.kind}</FactItem>
        {robot.kind === 'attended' && (
          <FactItem name="at it">
            {robot.person ?? 'nobody in particular'};{' '}
            {robot.deskSince ? (
              <>
                there since <Time at={String(robot.deskSince)} withRelative />
              </>
            ) : (
              <Mute>
                nobody is there now: they open it with <code>bugle-agent desk {robot.name}</code>
              </Mute>
            )}
          </FactItem>
        )}
        <FactItem name="hours">{robot.hours}</FactItem>
        <FactItem name="pools">
          {robot.pools.map((p) => (p.active ? p.name : `${p.name} (off)`)).join(', ') || '—'}
        </FactItem>
        <FactItem name="labels">
          {Object.entries(robot.labels)
            .map(([k, v]) => `${k}=${v}`)
            .join(' ') || '—'}
        </FactItem>
        <FactItem name="registered">
          <Time at={String(robot.registeredAt)} /> by {robot.registeredBy}
        </FactItem>
        {robot.notes && <FactItem name="notes">{robot.notes}</FactItem>}
      </Facts>
      <Work robot={robot} />
    </Page>
  )
}

function Head({ robot }: { robot: RobotRow }): ReactNode {
  const { why } = useMay('administer')
  const operate = useMay('operate')
  const client = useQueryClient()
  const router = useRouter()
  const say = useSay()
  const [editing, setEditing] = useState(false)
  const [removing, setRemoving] = useState(false)
  const act = (work: Promise<unknown>, done: string, then?: () => void): void => {
    work.then(
      () => {
        void client.invalidateQueries({ queryKey: ['robots'] })
        say(done)
        then?.()
      },
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <Row $wrap>
      <Crumb href="/fleet?tab=robots">Robots</Crumb>
      <h1>{robot.name}</h1>
      <StateChip mark={ROBOT_MARKS[robot.state]}>{ROBOT_STATES[robot.state]}</StateChip>
      {robot.runId !== null && <Link href={`/runs/${robot.runId}`}>#{robot.runId}</Link>}
      <Spring />
      <ButtonLink href={`/work/jobs/new?robot=${encodeURIComponent(robot.name)}`}>Write a job for it</ButtonLink>
      <Button
        onPress={() => act(api.post(`/robots/${robot.id}/try`), `The sign-in of ${robot.name} is being tried.`)}
        whyNot={operate.why}
      >
        Try its sign-in
      </Button>
      <Button onPress={() => setEditing(true)} whyNot={why}>
        Change
      </Button>
      <Button
        onPress={() =>
          act(
            api.patch(`/robots/${robot.id}`, { active: !robot.active }),
            robot.active ? `${robot.name} is switched off. What it does goes on.` : `${robot.name} is switched on.`,
          )
        }
        whyNot={operate.why}
      >
        {robot.active ? 'Switch off' : 'Switch on'}
      </Button>
      <Button kind="danger" onPress={() => setRemoving(true)} whyNot={why}>
        Remove
      </Button>
      <Confirm
        title={`Remove ${robot.name}?`}
        isOpen={removing}
        onClose={() => setRemoving(false)}
        word="Remove it"
        onConfirm={() =>
          act(api.delete(`/robots/${robot.id}`), `${robot.name} is removed.`, () => router.push('/fleet?tab=robots'))
        }
      >
        It takes no more work, and its name is free again. What it did stays in the history; its account stays.
      </Confirm>
      {editing && <RobotDialog robot={robot} isOpen onClose={() => setEditing(false)} />}
    </Row>
  )
}

function Work({ robot }: { robot: RobotRow }): ReactNode {
  const router = useRouter()
  const over = useStretch()
  const { data: work } = useQuery({
    queryKey: ['robots', robot.id, 'work', over],
    queryFn: () => api.get<RobotWork>(`/robots/work?over=${over}&robot=${robot.id}`),
  })
  const pieces = work?.pieces ?? []
  return (
    <Panel>
      <Row style={{ padding: '8px 12px 2px' }}>
        <h2>What it does and did</h2>
        {work && (
          <Small>
            busy {Math.round((work.busy[robot.id] ?? 0) * 100)} % of the time, {count(pieces.length, 'piece')} of work
          </Small>
        )}
        <Spring />
        <StretchSelect />
        <ButtonLink href={`/runs?robot=${robot.id}&steps=yes`}>All its runs</ButtonLink>
      </Row>
      {work && (
        <div style={{ padding: '4px 12px 8px' }}>
          <RobotLane work={work} pieces={pieces} label={`What ${robot.name} did`} />
        </div>
      )}
      {work && pieces.length === 0 ? (
        <Mute style={{ padding: '0 12px 12px', display: 'block' }}>Nothing in this time.</Mute>
      ) : (
        <Table
          label={`Work of ${robot.name}`}
          rows={pieces.slice(0, 200).map((piece, id) => ({ ...piece, id }))}
          onOpen={(piece) => router.push(`/runs/${piece.runId}`)}
          columns={[
            { id: 'run', title: 'Run', cell: (p) => <Link href={`/runs/${p.runId}`}>#{p.runId}</Link> },
            {
              id: 'state',
              title: 'State',
              cell: (p) => (
                <StateWord mark={(['handed', 'accepted'].includes(p.state) ? 'running' : p.state) as Mark} />
              ),
            },
            { id: 'job', title: 'Job', cell: (p) => <b>{p.title}</b> },
            { id: 'from', title: 'Started', cell: (p) => <Time at={String(p.from)} /> },
            {
              id: 'took',
              title: 'Took',
              align: 'right',
              cell: (p) => (p.to === null ? '' : duration(new Date(p.to).getTime() - new Date(p.from).getTime())),
            },
          ]}
        />
      )}
    </Panel>
  )
}
