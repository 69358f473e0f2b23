'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { Spread } from '@/core/bundle/schema'
import type { ShownStart, TriggerPreview } from '@/service/forecast/previews'
import { cityOf, clock, clockSeconds, count, day, dayAndYear, relative } from '@/ui/format'
import { useNow } from '@/ui/hooks/now'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { StateMark } from '@/ui/parts/state-mark'
import { ChangesList, summaryOf } from '../changes-list'
import { perDayWords } from '../words'
import { LoadChart } from './load-chart'
import { Side } from './side'

const Starts = styled.table`
  border-collapse: collapse;
  width: 100%;
  th {
    text-align: left;
    font:
      500 11.5px/16px 'Archivo Variable',
      sans-serif;
    color: var(--mute);
    padding: 0 10px 2px 0;
  }
  td {
    padding: 0 10px 0 0;
    line-height: 19px;
    white-space: nowrap;
  }
  tr[data-clock='moved'] td,
  tr[data-clock='doubled'] td {
    background: var(--late-soft);
  }
`
const Effect = styled.section`
  border-left: 4px solid var(--brass);
  padding-left: 10px;
`

/** What the rule means from now on: what the change does, the next starts, and what they cost in load. */
export function Foresight({
  preview,
  error,
  isStale,
  zone,
  isChanged,
  isNew,
  spread,
}: {
  preview: TriggerPreview | undefined
  error: Error | null
  isStale: boolean
  zone: string
  isChanged: boolean
  isNew: boolean
  spread: Spread
}): ReactNode {
  const now = useNow(10_000)
  if (error)
    return (
      <Side aria-label="What it will do">
        <Trouble error={error} />
      </Side>
    )
  if (!preview) return <Side aria-busy="true" aria-label="What it will do" />
  const { next, changes, facts, load } = preview
  return (
    <Side data-stale={isStale} aria-label="What it will do" aria-live="polite">
      {isChanged && !isNew && changes && (
        <Effect>
          <h2>Saving this: {summaryOf(changes)}</h2>
          <ChangesList changes={changes} />
        </Effect>
      )}
      {facts && facts.warnings.length > 0 && (
        <Stack $gap={3}>
          {facts.warnings.map((warning) => (
            <Row key={warning} $gap={6} style={{ color: 'var(--late)' }}>
              <StateMark mark="late" size={12} />
              <b>{warning}</b>
            </Row>
          ))}
        </Stack>
      )}
      <section>
        <Row>
          <h2>{next.length < 20 ? count(next.length, 'coming start') : 'The next 20 starts'}</h2>
          <Spring />
          {facts && (
            <Small>
              {perDayWords(facts.runsPerDay * (spread === 'each' ? facts.machines : 1))}
              {spread === 'each' && ` on ${count(facts.machines, 'machine')}`}
            </Small>
          )}
        </Row>
        {next.length > 0 && (
          <Starts>
            <thead>
              <tr>
                <th scope="col">{cityOf(zone)}</th>
                {zone !== 'UTC' && <th scope="col">UTC</th>}
                <th scope="col" aria-label="Note" />
              </tr>
            </thead>
            <tbody>
              {next.map((start, i) => (
                <tr key={start.at} data-clock={start.clock}>
                  <td>
                    {day(start.at, zone)} <b>{timeOf(start.at, zone)}</b>
                  </td>
                  {zone !== 'UTC' && (
                    <td>
                      <Small>
                        {day(start.at, zone) === day(start.at, 'UTC') ? '' : `${day(start.at, 'UTC')} `}
                        {timeOf(start.at, 'UTC')}
                      </Small>
                    </td>
                  )}
                  <td>
                    <Small>{noteOn(start, i, zone, now)}</Small>
                  </td>
                </tr>
              ))}
            </tbody>
          </Starts>
        )}
        {next.length === 0 && <Small>It starts nothing in the next five years.</Small>}
      </section>
      {load && <LoadChart load={load} zone={zone} />}
    </Side>
  )
}

function timeOf(at: string, zone: string): string {
  return at.endsWith(':00.000Z') && clockSeconds(at, zone).endsWith(':00') ? clock(at, zone) : clockSeconds(at, zone)
}

function noteOn(start: ShownStart, i: number, zone: string, now: number): string {
  if (start.clock === 'moved') return 'moved by the clock change'
  if (start.clock === 'doubled') return 'its time comes twice'
  if (i === 0 && now > 0) return relative(Date.parse(start.at), now)
  const withYear = dayAndYear(start.at, zone, now)
  return withYear === day(start.at, zone) ? '' : withYear.slice(-4)
}
