'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { Connections as Found } from '@/service/fleet/connections'
import { api } from '@/ui/api'
import { count } from '@/ui/format'
import { useAddress } from '@/ui/hooks/address'
import { Mute, Row, Small, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Table } from '@/ui/parts/table'
import { Ago } from '@/ui/parts/time'
import { groupsOf, wiresOf, worstFirst, type Group } from './connections-model'

/** Cards of the picture: all of one height, so that wires know where they end. */
const HEIGHT = 50
const GAP = 8
const STEP = HEIGHT + GAP
const WIRES = 120

const Column = styled.div`
  display: flex;
  flex-direction: column;
  gap: ${GAP}px;
  justify-content: center;
`
const Card = styled.div<{ $mark?: 'bad' | 'chosen' | undefined }>`
  box-sizing: border-box;
  height: ${HEIGHT}px;
  width: 230px;
  padding: 5px 10px;
  border: 1px solid ${(p) => (p.$mark === 'bad' ? 'var(--failed)' : 'var(--line-strong)')};
  ${(p) => p.$mark === 'chosen' && 'outline: 2px solid var(--brass);'}
  border-radius: 3px;
  background: var(--sheet);
  text-align: left;
  color: inherit;
  font: inherit;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
`
const ms = (value: number | null): string =>
  value === null ? '—' : `${value < 10 ? value.toFixed(1) : Math.round(value)} ms`

/** How far an agent's clock is ahead of the server's. */
function ahead(clockMs: number): string {
  const seconds = (-clockMs / 1000).toFixed(1)
  return Number(seconds) === 0 ? '0 s' : `${Number(seconds) > 0 ? '+' : '−'}${seconds.replace('-', '')} s`
}

/** Who is connected with whom, and how well: a picture by pool, and every agent's line as a table. */
export function Connections(): ReactNode {
  const { values, set } = useAddress()
  const { data, error } = useQuery({
    queryKey: ['connections'],
    queryFn: () => api.get<Found>('/connections'),
    refetchInterval: 5000,
  })
  if (error) return <Trouble error={error} />
  if (!data) return null
  const groups = groupsOf(data)
  const chosen = groups.find(({ pool }) => `of-${pool}` === values.pool)
  const shown = worstFirst(chosen ? chosen.agents : data.agents)
  return (
    <div style={{ overflow: 'auto', minHeight: 0 }}>
      <Row style={{ padding: '8px 12px' }}>
        <Small>
          Round trips of the last five minutes, times that a line came up again in the last hour, reports that are not
          stored yet.
        </Small>
      </Row>
      <Picture
        data={data}
        groups={groups}
        chosen={chosen}
        onChoose={({ pool }) => set({ pool: chosen?.pool === pool ? null : `of-${pool}` }, 'replace')}
      />
      <h2 style={{ padding: '14px 12px 4px' }}>{chosen ? `Agents of ${chosen.pool || 'no pool'}` : 'All agents'}</h2>
      <Table
        label="Lines of agents"
        rows={shown}
        isDim={({ engineId }) => engineId === null}
        columns={[
          {
            id: 'name',
            title: 'Agent',
            cell: (agent) => (
              <Link href={`/fleet/agents/${agent.id}`}>
                <b>{agent.name}</b>
              </Link>
            ),
          },
          {
            id: 'heard',
            title: 'Heard of',
            cell: (agent) => (agent.contactAt ? <Ago at={agent.contactAt} /> : 'never'),
          },
          { id: 'p50', title: 'Round trip', align: 'right', cell: ({ line }) => (line ? ms(line.p50) : '') },
          { id: 'p95', title: '95 of 100', align: 'right', cell: ({ line }) => (line ? ms(line.p95) : '') },
          { id: 'up', title: 'Came up again', align: 'right', cell: ({ line }) => line?.reconnects ?? '' },
          { id: 'unstored', title: 'Not stored', align: 'right', cell: ({ line }) => line?.unstored ?? '' },
          {
            id: 'clock',
            title: 'Clock',
            align: 'right',
            cell: ({ line }) => (line ? ahead(line.clockMs) : ''),
          },
          { id: 'hand', title: 'In hand', align: 'right', cell: ({ inHand }) => inHand || '' },
          {
            id: 'trouble',
            title: 'What to look at',
            cell: ({ trouble, line }) =>
              trouble ?? (line === null ? <Mute>an older agent: it does not tell</Mute> : ''),
          },
        ]}
      />
    </div>
  )
}

function Picture({
  data,
  groups,
  chosen,
  onChoose,
}: {
  data: Found
  groups: readonly Group[]
  chosen: Group | undefined
  onChoose: (group: Group) => void
}): ReactNode {
  const { engines, databaseMs } = data
  const rows = Math.max(1, engines.length, groups.length)
  const height = rows * STEP - GAP
  const yOf = (index: number, of: number): number => (height - (of * STEP - GAP)) / 2 + index * STEP + HEIGHT / 2
  const wires = wiresOf(groups, data)
  return (
    <div
      role="group"
      aria-label="Connections"
      style={{ display: 'flex', padding: '4px 12px', overflowX: 'auto', minHeight: height }}
    >
      <Column>
        <Card>
          <b>Database</b>
          <br />
          <Small>answers the pages in {ms(databaseMs)}</Small>
        </Card>
      </Column>
      <Wires height={height}>
        {engines.map(({ id, isAlive }, i) => (
          <Wire key={id} from={yOf(0, 1)} to={yOf(i, engines.length)} isTroubled={!isAlive} />
        ))}
      </Wires>
      <Column>
        {engines.length === 0 && <Card $mark="bad">No engine runs: nothing starts.</Card>}
        {engines.map((engine) => (
          <Card key={engine.id} $mark={engine.isAlive ? undefined : 'bad'}>
            <b>{engine.host}</b> <Small>{engine.leads ? 'engine, leads' : 'engine'}</Small>
            <br />
            <Small>
              {count(engine.agents, 'agent')} · {engine.isAlive ? 'lives' : 'silent'}, <Ago at={engine.lastSeenAt} />
            </Small>
          </Card>
        ))}
      </Column>
      <Wires height={height}>
        {wires.map(({ engine, group, isTroubled }) => (
          <Wire
            key={`${engine} ${group}`}
            from={yOf(engine, engines.length)}
            to={yOf(group, groups.length)}
            isTroubled={isTroubled}
          />
        ))}
      </Wires>
      <Column>
        {groups.map((group) => (
          <Card
            as="button"
            key={group.pool}
            onClick={() => onChoose(group)}
            aria-pressed={chosen === group}
            $mark={chosen === group ? 'chosen' : group.away + group.troubled > 0 ? 'bad' : undefined}
          >
            <b>{group.pool || 'no pool'}</b>{' '}
            <Small>
              {count(group.agents.length, 'agent')}
              {group.away > 0 && `, ${group.away} away`}
              {group.troubled > 0 && `, ${group.troubled} in trouble`}
            </Small>
            <br />
            <Small>
              {ms(group.p50)}, at worst {ms(group.p95)} · {count(group.inHand, 'run')} in hand
            </Small>
          </Card>
        ))}
      </Column>
    </div>
  )
}

const Wires = ({ height, children }: { height: number; children: ReactNode }): ReactNode => (
  <svg width={WIRES} height={height} aria-hidden="true" style={{ flex: 'none' }}>
    {children}
  </svg>
)

const Wire = ({ from, to, isTroubled }: { from: number; to: number; isTroubled: boolean }): ReactNode => (
  <path
    d={`M0 ${from} C ${WIRES / 2} ${from}, ${WIRES / 2} ${to}, ${WIRES} ${to}`}
    fill="none"
    stroke={isTroubled ? 'var(--failed)' : 'var(--running)'}
    strokeWidth={isTroubled ? 2 : 1.2}
    strokeDasharray={isTroubled ? '5 4' : undefined}
  />
)
