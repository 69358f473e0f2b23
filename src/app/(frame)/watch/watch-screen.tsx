'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { ComingStart } from '@/service/forecast/coming'
import { api } from '@/ui/api'
import { clock, duration, exact, relative } from '@/ui/format'
import { useAddress } from '@/ui/hooks/address'
import { useMe } from '@/ui/hooks/me'
import { useAtNow } from '@/ui/hooks/now'
import { Page, Panel, Row, Shelf, Small, Split, Spring } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateMark, type Mark } from '@/ui/parts/state-mark'
import { Ago } from '@/ui/parts/time'
import { Lanes } from './lanes'
import { Matters } from './matters'
import { WatchNav } from './watch-nav'

const SINCE_HOURS = 8

const Pill = styled(Link)`
  display: inline-flex;
  align-items: center;
  gap: 7px;
  padding: 2px 8px;
  border: 1px solid var(--line-strong);
  border-radius: 12px;
  background: var(--sheet);
  font-weight: 600;
`
const List = styled.table`
  width: 100%;
  border-spacing: 0;
  table-layout: fixed;
  th {
    text-align: left;
    font:
      500 11.5px/16px 'Archivo Variable',
      sans-serif;
    color: var(--mute);
    padding: 6px 10px;
  }
  td {
    padding: 0 10px;
    height: 26px;
    border-top: 1px solid var(--line);
  }
  td:first-child a {
    display: flex;
    gap: 7px;
    align-items: center;
    font-weight: 600;
  }
  td,
  td:first-child a > b {
    font-weight: inherit;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  td:first-child a > b + span {
    flex-shrink: 100;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .num {
    text-align: right;
  }
  /* On a small window what it is goes before what else is known of it. */
  @media (max-width: 1180px) {
    .wide {
      display: none;
    }
  }
`

interface EndedRun {
  readonly id: number
  readonly title: string
  readonly state: Mark
  /** null: a flow, whose steps ran on several. */
  readonly agent: string | null
  readonly durationMs: number | null
  readonly usualMs: number | null
  readonly endedAt: string
}

export function WatchScreen(): ReactNode {
  const { data: counts } = useQuery({
    queryKey: ['counts'],
    queryFn: () =>
      api.get<{ running: number; waiting: number; failed: number; succeeded: number }>(
        `/runs/counts?hours=${SINCE_HOURS}`,
      ),
  })
  const { values } = useAddress()
  const bySystem = values.by === 'system'
  return (
    <Split>
      <Shelf $width={356} aria-label="Needs a person">
        <Matters />
      </Shelf>
      <Page>
        <Row $wrap $gap={6}>
          <h1>{bySystem ? 'Now on the systems' : 'Now on the machines'}</h1>
          <Link href={bySystem ? '/watch' : '/watch?by=system'}>by {bySystem ? 'machine' : 'system'}</Link>
          <WatchNav />
          <Spring />
          {counts && (
            <>
              <Pill href="/runs?state=running">
                <StateMark mark="running" />
                {counts.running} running
              </Pill>
              <Pill href="/runs?state=waiting,ready">
                <StateMark mark="waiting" />
                {counts.waiting} waiting
              </Pill>
              <Pill href="/runs?state=failed,lost&ended=last-8-hours&sort=ended" title={`in ${SINCE_HOURS} h`}>
                <StateMark mark="failed" />
                {counts.failed} failed
              </Pill>
              <Pill href="/runs?state=succeeded&ended=last-8-hours&sort=ended" title={`in ${SINCE_HOURS} h`}>
                <StateMark mark="succeeded" />
                {counts.succeeded} well in {SINCE_HOURS} h
              </Pill>
            </>
          )}
        </Row>
        <Lanes bySystem={bySystem} />
        <Row $top $gap={12}>
          <NextStarts />
          <JustEnded />
        </Row>
      </Page>
    </Split>
  )
}

const ROWS = 6

/** How long it is until then. */
function Until({ at }: { at: number }): ReactNode {
  return useAtNow((now) => (at > now ? relative(at, now).replace('in ', '') : 'now'))
}

/** What triggers start next, the soonest first. */
function NextStarts(): ReactNode {
  const { zone } = useMe()
  const { data } = useQuery({
    queryKey: ['coming', 'next'],
    queryFn: () => api.get<ComingStart[]>(`/next-starts?limit=${ROWS}`),
    refetchInterval: 15_000,
  })
  if (!data) return null
  return (
    <Panel style={{ flex: 1 }}>
      <List aria-label="Next starts">
        <thead>
          <tr>
            <th scope="col">Next starts</th>
            <th scope="col" style={{ width: 66 }}>
              in
            </th>
            <th scope="col" style={{ width: '23%' }}>
              when
            </th>
            <th scope="col" className="wide" style={{ width: 88 }}>
              goes to
            </th>
          </tr>
        </thead>
        <tbody>
          {data.length === 0 && (
            <tr>
              <td colSpan={4}>
                <Small>No trigger is switched on.</Small>
              </td>
            </tr>
          )}
          {data.map((start) => (
            <tr key={start.triggerId}>
              <td>
                <Link href={`/timing/triggers/${start.triggerId}`}>
                  <StateMark mark={start.dueAt ? 'late' : 'waiting'} />
                  <b>{start.title}</b>
                </Link>
              </td>
              <td title={exact(start.at, zone)}>
                <Until at={Date.parse(start.at)} />
              </td>
              <td title={expectedWords(start, zone) ?? start.says}>
                <Small style={start.expected ? { color: 'var(--late)' } : {}}>
                  {expectedWords(start, zone) ?? start.says}
                </Small>
              </td>
              <td className="wide" title={start.goesTo}>
                <Small>{start.goesTo}</Small>
              </td>
            </tr>
          ))}
        </tbody>
      </List>
    </Panel>
  )
}

/** Where it is expected to start later than its instant: when, and why. */
const expectedWords = ({ expected }: ComingStart, zone: string): string | null =>
  expected ? `about ${clock(expected.at, zone)}: ${expected.why}` : null

function JustEnded(): ReactNode {
  const { data = [] } = useQuery({ queryKey: ['ended'], queryFn: () => api.get<EndedRun[]>('/ended') })
  if (data.length === 0) return null
  return (
    <Panel style={{ flex: 1 }}>
      <List aria-label="Just ended">
        <thead>
          <tr>
            <th scope="col">Just ended</th>
            <th scope="col" className="num" style={{ width: 66 }}>
              took
            </th>
            <th scope="col" className="num wide" style={{ width: 66 }}>
              usual
            </th>
            <th scope="col" className="num" style={{ width: 84 }}>
              when
            </th>
          </tr>
        </thead>
        <tbody>
          {data.slice(0, ROWS).map((run) => (
            <tr key={run.id}>
              <td>
                <Link href={`/runs/${run.id}`}>
                  <StateMark mark={run.state} />
                  <b>{run.title}</b>
                  {run.agent && <Small>{run.agent}</Small>}
                  <span className="visually-hidden">{run.state}</span>
                </Link>
              </td>
              <td className="num">{duration(run.durationMs)}</td>
              <td className="num wide">
                <Small>{duration(run.usualMs)}</Small>
              </td>
              <td className="num">
                <Small>
                  <Ago at={run.endedAt} />
                </Small>
              </td>
            </tr>
          ))}
        </tbody>
      </List>
    </Panel>
  )
}
