'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import styled from 'styled-components'
import type { AgentRow, PoolRow } from '@/service/fleet/fleet'
import type { RobotRow } from '@/service/fleet/robots'
import type { ApiProblem } from '@/ui/api'
import { ExportButton } from '@/app/shared/exports/export-button'
import { api } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Select } from '@/ui/parts/select'
import { Switch, TextField } from '@/ui/parts/fields'
import { Empty, Row, Small, Spring, Stack } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Time } from '@/ui/parts/time'

const Grid = styled.div`
  padding: 10px 12px;
  position: relative;
  overflow: auto;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(340px, 1fr));
  gap: 12px;
  align-items: start;
`
const Card = styled.section`
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 10px 12px;
  li {
    display: flex;
    align-items: center;
    gap: 8px;
    min-height: 26px;
    border-top: 1px solid var(--line);
  }
  ul {
    margin-top: 8px;
  }
`

/** Pools: named groups of agents and robots. Each membership can be switched off alone, to steer work onto one machine and watch it there. */
export function Pools(): ReactNode {
  const { data: pools, isSuccess } = useQuery({ queryKey: ['pools'], queryFn: () => api.get<PoolRow[]>('/pools') })
  const { data: agents = [] } = useQuery({ queryKey: ['agents'], queryFn: () => api.get<AgentRow[]>('/agents') })
  const { may, why } = useMay('administer')
  const [adding, setAdding] = useState(false)
  const client = useQueryClient()
  const say = useSay()
  const { data: robots = [] } = useQuery({ queryKey: ['robots'], queryFn: () => api.get<RobotRow[]>('/robots') })
  const put = (pool: PoolRow, who: Who, member: boolean, active = true): void => {
    api.put(`/pools/${pool.id}/members`, { ...who, member, active }).then(
      () => {
        void client.invalidateQueries({ queryKey: ['pools'] })
        void client.invalidateQueries({ queryKey: ['agents'] })
        void client.invalidateQueries({ queryKey: ['robots'] })
      },
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  const [steering, setSteering] = useState<{ pool: PoolRow; who: Who; name: string } | null>(null)
  const steer = (pool: PoolRow, onto: object | null): void => {
    const path = `/pools/${pool.id}/steer`
    const asked = onto === null ? api.delete(path) : api.post(path, onto)
    asked.then(
      () => {
        setSteering(null)
        for (const key of ['pools', 'agents', 'robots']) void client.invalidateQueries({ queryKey: [key] })
      },
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  const turn = (pool: PoolRow, active: boolean): void => {
    api.patch(`/pools/${pool.id}`, { active }).then(
      () => {
        void client.invalidateQueries({ queryKey: ['pools'] })
        say(
          active
            ? `${pool.title} is on.`
            : `${pool.title} is off: what runs there goes on, and what is sent to it waits.`,
        )
      },
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <>
      <Row style={{ padding: '8px 12px 0' }}>
        <Small>
          A job sent to a pool runs on whichever of its agents has the most room; a robot task is done by whichever of
          its robots has rested longest.
        </Small>
        <Spring />
        <ExportButton list="pools" />
        <Button onPress={() => setAdding(true)} whyNot={why}>
          New pool
        </Button>
      </Row>
      {isSuccess && pools.length === 0 && (
        <Empty title="No pool yet">
          A pool is a named group of agents that jobs can be sent to, so that work does not hang on one machine.
        </Empty>
      )}
      <Grid>
        {pools?.map((pool) => {
          const others = agents.filter((a) => a.state !== 'revoked' && !pool.members.some((m) => m.agentId === a.id))
          const otherRobots = robots.filter((b) => !pool.robots.some((m) => m.robotId === b.id))
          return (
            <Card key={pool.id}>
              <Row>
                <h3>{pool.title}</h3>
                <Spring />
                <Small>
                  {pool.name} · {count(pool.slots, 'slot')}
                </Small>
                <Switch isSelected={pool.active} onChange={(active) => turn(pool, active)} whyNot={why}>
                  <span className="visually-hidden">Pool {pool.title}</span>
                  {pool.active ? 'on' : 'off'}
                </Switch>
              </Row>
              {pool.steer && <Steered pool={pool} steer={pool.steer} onUndo={() => steer(pool, null)} why={why} />}
              <ul>
                {pool.members.map(({ agentId, name, active }) => (
                  <Member
                    key={agentId}
                    {...{ name, active, why }}
                    href={`/fleet/agents/${agentId}`}
                    pool={pool.name}
                    onSet={(member, on) => put(pool, { agentId }, member, on)}
                    onSteer={
                      pool.steer || alone(pool) ? undefined : () => setSteering({ pool, who: { agentId }, name })
                    }
                  />
                ))}
                {pool.robots.map(({ robotId, name, active }) => (
                  <Member
                    key={`robot ${robotId}`}
                    {...{ name, active, why }}
                    what="robot"
                    href={`/fleet/robots/${robotId}`}
                    pool={pool.name}
                    onSet={(member, on) => put(pool, { robotId }, member, on)}
                    onSteer={
                      pool.steer || alone(pool) ? undefined : () => setSteering({ pool, who: { robotId }, name })
                    }
                  />
                ))}
              </ul>
              {may && (
                <Row style={{ marginTop: 8 }}>
                  {others.length > 0 && (
                    <Select
                      label={`Add to ${pool.name}`}
                      hideLabel
                      placeholder="Add an agent"
                      value={null}
                      onChange={(id) => put(pool, { agentId: Number(id) }, true)}
                      choices={others.map((a) => ({ id: String(a.id), title: a.name }))}
                    />
                  )}
                  {otherRobots.length > 0 && (
                    <Select
                      label={`Add a robot to ${pool.name}`}
                      hideLabel
                      placeholder="Add a robot"
                      value={null}
                      onChange={(id) => put(pool, { robotId: Number(id) }, true)}
                      choices={otherRobots.map((b) => ({ id: String(b.id), title: b.name }))}
                    />
                  )}
                </Row>
              )}
            </Card>
          )
        })}
      </Grid>
      <NewPool isOpen={adding} onClose={() => setAdding(false)} />
      {steering && (
        <SteerDialog
          {...steering}
          onClose={() => setSteering(null)}
          onSteer={(until) => steer(steering.pool, { ...steering.who, until })}
        />
      )}
    </>
  )
}

const alone = ({ members, robots }: PoolRow): boolean => members.length + robots.length < 2

type Who = { readonly agentId: number } | { readonly robotId: number }

/** One of a pool, with the switch of its membership. */
function Member({
  name,
  what,
  href,
  pool,
  active,
  onSet,
  onSteer,
  why,
}: {
  name: string
  what?: string
  href: string
  pool: string
  active: boolean
  onSet: (member: boolean, on?: boolean) => void
  /** Without it there is nothing to steer away from. */
  onSteer: (() => void) | undefined
  why: string | undefined
}): ReactNode {
  return (
    <li>
      <Link href={href}>{name}</Link>
      {what && <Small>{what}</Small>}
      <Spring />
      {onSteer && (
        <Button kind="quiet" aria-label={`Steer all work of ${pool} to ${name}`} onPress={onSteer} whyNot={why}>
          Steer here
        </Button>
      )}
      <Switch isSelected={active} onChange={(on) => onSet(true, on)} whyNot={why}>
        <span className="visually-hidden">
          {name} in {pool}
        </span>
        {active ? 'on' : 'off'}
      </Switch>
      <Button kind="quiet" aria-label={`Take ${name} out of ${pool}`} onPress={() => onSet(false)} whyNot={why}>
        ×
      </Button>
    </li>
  )
}

function Steered({
  pool,
  steer: { onto, by, until },
  onUndo,
  why,
}: {
  pool: PoolRow
  steer: NonNullable<PoolRow['steer']>
  onUndo: () => void
  why: string | undefined
}): ReactNode {
  return (
    <Row role="status" style={{ marginTop: 6 }}>
      <Small>
        All work goes to {onto}, by {by}
        {until && (
          <>
            , until <Time at={until} />
          </>
        )}
        .
      </Small>
      <Spring />
      <Button aria-label={`Undo the steering of ${pool.name}`} onPress={onUndo} whyNot={why}>
        Undo
      </Button>
    </Row>
  )
}

const HOURS = [
  { id: '', title: 'somebody undoes it' },
  { id: '1', title: 'an hour from now' },
  { id: '4', title: 'four hours from now' },
  { id: '12', title: 'twelve hours from now' },
  { id: '24', title: 'a day from now' },
]

/** Until when all work of a pool goes to one member. */
function SteerDialog({
  pool,
  name,
  onClose,
  onSteer,
}: {
  pool: PoolRow
  name: string
  onClose: () => void
  onSteer: (until: string | null) => void
}): ReactNode {
  const [hours, setHours] = useState('')
  const others = pool.members.length + pool.robots.length - 1
  return (
    <Dialog title={`Steer ${pool.title} to ${name}`} isOpen onClose={onClose} width={420}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          onSteer(hours === '' ? null : new Date(Date.now() + Number(hours) * 3_600_000).toISOString())
        }}
      >
        <Stack $gap={12}>
          <span>
            {others === 1 ? 'The other member is' : `The other ${others} members are`} switched off; what runs there
            goes on. Afterwards whoever is on now is on again.
          </span>
          <Select label="Until" value={hours} onChange={setHours} choices={HOURS} width="200px" />
          <DialogButtons onClose={onClose}>Steer here</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}

function NewPool({ isOpen, onClose }: { isOpen: boolean; onClose: () => void }): ReactNode {
  const client = useQueryClient()
  const [values, setValues] = useState({ name: '', title: '' })
  const { setTrouble, faultOf } = useTrouble()
  return (
    <Dialog title="New pool" isOpen={isOpen} onClose={onClose} width={400}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          api.post('/pools', values).then(() => {
            void client.invalidateQueries({ queryKey: ['pools'] })
            setValues({ name: '', title: '' })
            setTrouble(null)
            onClose()
          }, setTrouble)
        }}
      >
        <Stack $gap={12}>
          <TextField
            label="Name, as jobs refer to it"
            value={values.name}
            onChange={(name) => setValues({ ...values, name })}
            error={faultOf('name')}
            mono
            autoFocus
          />
          <TextField
            label="Title"
            value={values.title}
            onChange={(title) => setValues({ ...values, title })}
            error={faultOf('title')}
          />
          <DialogButtons onClose={onClose}>Add</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
