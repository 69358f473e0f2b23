'use client'
import { useQuery } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import styled from 'styled-components'
import type { Change } from '@/core/changes/since-good'
import type { FailedTogether } from '@/service/watch/failed-together'
import type { WhatChanged } from '@/service/watch/what-changed'
import { objectPage } from '@/app/shared/work/object-page'
import { api } from '@/ui/api'
import { count } from '@/ui/format'
import { Button } from '@/ui/parts/button'
import { Panel, Row, Small, Spring } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Ago } from '@/ui/parts/time'

/** So many lines are seen at first: the output below is what people came for. */
const SEEN = 3

const Lines = styled.ul`
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
  li {
    display: flex;
    gap: 10px;
    align-items: baseline;
    padding: 2px 0;
  }
  li > span:first-child {
    flex: 1;
    min-width: 0;
    overflow-wrap: anywhere;
  }
`

/** What is different from when the job last went well, and what failed with it. No guess stands there as a fact. */
export function SinceGood({ runId, isFlow = false }: { runId: number; isFlow?: boolean }): ReactNode {
  const { data } = useQuery({
    queryKey: ['run', runId, 'changes'],
    queryFn: () => api.get<WhatChanged>(`/runs/${runId}/changes`),
  })
  const [isWhole, setWhole] = useState(false)
  if (!data) return null
  const { good, firstBad, changes, more, together } = data
  const shown = isWhole ? changes : changes.slice(0, SEEN)
  return (
    <Panel style={{ padding: '7px 12px' }} aria-label="What changed">
      {together.map((one) => (
        <Together key={`${one.how} ${one.kind}`} together={one} />
      ))}
      <Row $wrap>
        <b>{good === null ? 'It never went well before' : 'Since it last went well'}</b>
        {good && (
          <Small>
            <Link href={`/runs/${good.id}`}>#{good.id}</Link>, <Ago at={good.at} />
            {firstBad && firstBad.id !== runId && (
              <>
                ; it fails since <Link href={`/runs/${firstBad.id}`}>#{firstBad.id}</Link>
              </>
            )}
          </Small>
        )}
        <Spring />
        {changes.length > SEEN && (
          <Button kind="quiet" onPress={() => setWhole(!isWhole)}>
            {isWhole ? 'Fewer' : `All ${changes.length}`}
          </Button>
        )}
        {good && !isFlow && <Link href={`/runs/compare?a=${good.id}&b=${runId}`}>Compare the outputs</Link>}
      </Row>
      {good && changes.length === 0 && (
        <Small>
          Nothing that is known here: its definition, what it was given, where and as whom it ran are the same.
        </Small>
      )}
      {shown.length > 0 && (
        <Lines>
          {shown.map((change) => (
            <li key={`${change.kind} ${change.atMs ?? ''} ${change.says}`}>
              <span>
                <Said change={change} />
              </span>
              {change.atMs !== null && (
                <Small style={{ whiteSpace: 'nowrap' }}>
                  {change.by !== null && `${change.by}, `}
                  <Ago at={change.atMs} />
                </Small>
              )}
            </li>
          ))}
        </Lines>
      )}
      {isWhole && more > 0 && <Small>And {count(more, 'change')} more.</Small>}
    </Panel>
  )
}

function Said({ change: { says, object } }: { change: Change }): ReactNode {
  const href = object && objectPage(object)
  return href ? <Link href={href}>{says}</Link> : says
}

const COMMON_WORDS = { machine: 'on', system: 'on', account: 'with the account' } as const

/** Other jobs that failed, or took long, with it, and what they have in common. */
function Together({ together: { kind, how, name, id, runs } }: { together: FailedTogether }): ReactNode {
  const href = id === null ? null : kind === 'machine' ? `/fleet/agents/${id}` : `/fleet/systems/${id}`
  return (
    <div style={{ borderLeft: '4px solid var(--late)', paddingLeft: 10, marginBottom: 6 }}>
      <b>Perhaps one cause:</b> {count(runs.length, 'job')}{' '}
      {how === 'failed' ? 'failed' : 'took much longer than usual'} {COMMON_WORDS[kind]}{' '}
      {href ? <Link href={href}>{name}</Link> : name} within an hour:{' '}
      {runs.slice(0, 5).map(({ id: runId, title, says }, i) => (
        <span key={runId} title={says}>
          {i > 0 && ', '}
          <Link href={`/runs/${runId}`}>
            {title} #{runId}
          </Link>
        </span>
      ))}
      {runs.length > 5 && ` and ${runs.length - 5} more`}.
    </div>
  )
}
