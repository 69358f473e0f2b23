'use client'
import { useQuery } from '@tanstack/react-query'
import Link from 'next/link'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import { api } from '@/ui/api'
import { duration } from '@/ui/format'
import { Page, Panel, Row, Shelf, Small, Split, Spring } from '@/ui/parts/layout'
import { StateMark, type Mark } from '@/ui/parts/state-mark'
import { Ago } from '@/ui/parts/time'
import { Lanes } from './lanes'
import { Matters } from './matters'

const SINCE_HOURS = 8

const Pill = styled(Link)`
  display: inline-flex;
  align-items: center;
  gap: 7px;
  padding: 2px 11px;
  border: 1px solid var(--line-strong);
  border-radius: 12px;
  background: var(--sheet);
  font-weight: 600;
`
const Ended = styled.table`
  width: 100%;
  border-spacing: 0;
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
    display: inline-flex;
    gap: 7px;
    align-items: center;
    font-weight: 600;
  }
  .num {
    text-align: right;
  }
`

interface EndedRun {
  readonly id: number
  readonly title: string
  readonly state: Mark
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
  return (
    <Split>
      <Shelf $width={356} aria-label="Needs a person">
        <Matters />
      </Shelf>
      <Page>
        <Row $wrap>
          <h1>Now on the machines</h1>
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
              <Pill href="/runs?state=failed,lost&sort=ended">
                <StateMark mark="failed" />
                {counts.failed} failed in {SINCE_HOURS} h
              </Pill>
              <Pill href="/runs?state=succeeded&sort=ended">
                <StateMark mark="succeeded" />
                {counts.succeeded} ended well in {SINCE_HOURS} h
              </Pill>
            </>
          )}
        </Row>
        <Lanes />
        <JustEnded />
      </Page>
    </Split>
  )
}

function JustEnded(): ReactNode {
  const { data = [] } = useQuery({ queryKey: ['ended'], queryFn: () => api.get<EndedRun[]>('/ended') })
  if (data.length === 0) return null
  const half = Math.ceil(Math.min(data.length, 12) / 2)
  return (
    <Row $top $gap={12}>
      {[data.slice(0, half), data.slice(half)].map((rows, side) => (
        <Panel key={side} style={{ flex: 1 }}>
          <Ended aria-label={side === 0 ? 'Just ended' : 'Ended before'}>
            <thead>
              <tr>
                <th scope="col">{side === 0 ? 'Just ended' : 'Before that'}</th>
                <th scope="col" className="num">
                  took
                </th>
                <th scope="col" className="num">
                  usual
                </th>
                <th scope="col" className="num">
                  when
                </th>
              </tr>
            </thead>
            <tbody>
              {rows.map((run) => (
                <tr key={run.id}>
                  <td>
                    <Link href={`/runs/${run.id}`}>
                      <StateMark mark={run.state} />
                      {run.title}
                      <span className="visually-hidden">{run.state}</span>
                    </Link>
                  </td>
                  <td className="num">{duration(run.durationMs)}</td>
                  <td className="num">
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
          </Ended>
        </Panel>
      ))}
    </Row>
  )
}
