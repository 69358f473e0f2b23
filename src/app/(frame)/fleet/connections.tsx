'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { Connections as Found, LineRow } from '@/service/fleet/connections'
import { inHand } from '@/app/shared/runs/in-hand'
import { api } from '@/ui/api'
import { count } from '@/ui/format'
import { useAddress } from '@/ui/hooks/address'
import { Mute, Row, Small, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Table } from '@/ui/parts/table'
import { Ago } from '@/ui/parts/time'
import { groupsOf, relaysOf, rowsOf, wiresOf, worstFirst, type Group, type WireOf } from './connections-model'

/** Cards of the picture: all of one height, so that wires know where they end. */
const HEIGHT = 50
const GAP = 8
const STEP = HEIGHT + GAP
const WIDTH = 226
/** Room for wires between two columns. */
const WIRES = 90

const Picture = styled.div`
  position: relative;
  flex: none;
  margin: 4px 12px;
`
const Card = styled.div<{ $mark?: 'bad' | 'chosen' | undefined }>`
  position: absolute;
  box-sizing: border-box;
  height: ${HEIGHT}px;
  width: ${WIDTH}px;
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
  const chosen = groups.find(({ key }) => key === values.of)
  const shown = worstFirst(chosen ? chosen.agents : data.agents)
  return (
    <div style={{ overflow: 'auto', minHeight: 0 }}>
      <Row style={{ padding: '8px 12px' }}>
        <Small>
          Round trips of the last five minutes, times that a line came up again in the last hour, reports that are not
          stored yet.
        </Small>
      </Row>
      <Drawn
        data={data}
        groups={groups}
        chosen={chosen}
        onChoose={({ key }) => set({ of: chosen?.key === key ? null : key }, 'replace')}
      />
      <h2 style={{ padding: '14px 12px 4px' }}>{chosen ? `Agents of ${titleOf(chosen)}` : 'All agents'}</h2>
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
          ...(groups.some(({ through }) => through !== '')
            ? [{ id: 'through', title: 'Through', cell: ({ line }: LineRow) => line?.through ?? <Mute>straight</Mute> }]
            : []),
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
          {
            id: 'hand',
            title: 'In hand',
            align: 'right',
            cell: (row) => row.inHand > 0 && <Link href={inHand({ agent: row.id })}>{row.inHand}</Link>,
          },
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

const titleOf = ({ pool, through }: Group): string =>
  `${pool || 'no pool'}${through === '' ? '' : ` through ${through}`}`

function Drawn({
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
  const relays = relaysOf(data)
  const columns = ['database', 'engine', ...(relays.length > 0 ? ['relay'] : []), 'group']
  const many = { database: 1, engine: engines.length, group: groups.length }
  const relayRows = rowsOf(groups, relays)
  const rows = Math.max(1, ...Object.values(many), ...relayRows.map((row) => row + 1))
  const height = rows * STEP - GAP
  const aboveGroups = relays.length > 0 ? 0 : (height - (groups.length * STEP - GAP)) / 2
  const width = columns.length * (WIDTH + WIRES) - WIRES
  const leftOf = (column: string): number => columns.indexOf(column) * (WIDTH + WIRES)
  const topOf = (column: 'database' | 'engine' | 'relay' | 'group', at: number): number => {
    if (column === 'group') return aboveGroups + at * STEP
    if (column === 'relay') return (relayRows[at] ?? 0) * STEP
    return (height - (many[column] * STEP - GAP)) / 2 + at * STEP
  }
  const place = (column: Parameters<typeof topOf>[0], at: number) => ({
    style: { left: leftOf(column), top: topOf(column, at) },
  })
  const ends = ({ from, to }: WireOf) => ({
    from: [leftOf(from[0]) + WIDTH, topOf(...from) + HEIGHT / 2] as const,
    to: [leftOf(to[0]), topOf(...to) + HEIGHT / 2] as const,
  })
  return (
    <div style={{ overflowX: 'auto' }}>
      <Picture role="group" aria-label="Connections" style={{ width, height }}>
        <svg width={width} height={height} aria-hidden="true" style={{ position: 'absolute' }}>
          {wiresOf(data, groups, relays).map((wire) => (
            <Wire key={wire.key} {...ends(wire)} isTroubled={wire.isTroubled} />
          ))}
        </svg>
        <Card {...place('database', 0)}>
          <b>Database</b>
          <br />
          <Small>answers the pages in {ms(databaseMs)}</Small>
        </Card>
        {engines.length === 0 && (
          <Card $mark="bad" {...place('engine', 0)}>
            No engine runs: nothing starts.
          </Card>
        )}
        {engines.map((engine, e) => (
          <Card key={engine.id} $mark={engine.isAlive ? undefined : 'bad'} {...place('engine', e)}>
            <b>{engine.host}</b> <Small>{engine.leads ? 'engine, leads' : 'engine'}</Small>
            <br />
            <Small>
              {count(engine.agents, 'agent')} · {engine.isAlive ? 'lives' : 'silent'}, <Ago at={engine.lastSeenAt} />
            </Small>
          </Card>
        ))}
        {relays.map(({ name, agent }, r) => (
          <Card key={name} $mark={agent?.trouble ? 'bad' : undefined} {...place('relay', r)}>
            <b>{agent ? <Link href={`/fleet/agents/${agent.id}`}>{name}</Link> : name}</b> <Small>relay</Small>
            <br />
            <Small>
              {agent === null
                ? 'no agent of this server'
                : agent.engineId === null
                  ? 'does not call'
                  : agent.line?.relay
                    ? `passes on ${count(agent.line.relay.lines, 'line')} at port ${agent.line.relay.port}`
                    : 'does not say that it is one'}
            </Small>
          </Card>
        ))}
        {groups.map((group, g) => (
          <Card
            as="button"
            key={group.key}
            onClick={() => onChoose(group)}
            aria-pressed={chosen === group}
            $mark={chosen === group ? 'chosen' : group.away + group.troubled > 0 ? 'bad' : undefined}
            {...place('group', g)}
          >
            <b>{group.pool || 'no pool'}</b>{' '}
            <Small>
              {count(group.agents.length, 'agent')}
              {group.away > 0 && `, ${group.away} away`}
              {group.troubled > 0 && `, ${group.troubled} in trouble`}
            </Small>
            <br />
            <Small>
              {ms(group.p50)}, at worst {ms(group.p95)} · {group.inHand} in hand
            </Small>
          </Card>
        ))}
      </Picture>
    </div>
  )
}

/** Bent at once, and then straight over the columns between. */
function Wire({
  from: [x, y],
  to: [toX, toY],
  isTroubled,
}: {
  from: readonly [number, number]
  to: readonly [number, number]
  isTroubled: boolean
}): ReactNode {
  const bend = x + WIRES
  return (
    <path
      d={`M${x} ${y} C ${x + WIRES / 2} ${y}, ${x + WIRES / 2} ${toY}, ${bend} ${toY} L${toX} ${toY}`}
      fill="none"
      stroke={isTroubled ? 'var(--failed)' : 'var(--running)'}
      strokeWidth={isTroubled ? 2 : 1.2}
      strokeDasharray={isTroubled ? '5 4' : undefined}
    />
  )
}
