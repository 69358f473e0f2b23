'use client'
import { useQueryClient } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import {
  handOverWords,
  matterWords,
  withWords,
  type HandOver,
  type LogEntry,
  type LogMatter,
  type LogNote,
} from '@/core/log/night'
import { visible } from '@/core/schema/plain-text'
import { objectPage } from '@/app/shared/work/object-page'
import { api, type ApiProblem } from '@/ui/api'
import { clock, exact } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMe } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Mono, Row, Small } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateMark, type Mark } from '@/ui/parts/state-mark'
import { RunLinks } from '../run-links'

const MARKS: Readonly<Record<string, Mark>> = {
  'run-failed': 'failed',
  'run-lost': 'lost',
  'agent-away': 'away',
}

/** One line of the log. */
export function Entry({ entry }: { entry: LogEntry }): ReactNode {
  switch (entry.is) {
    case 'matter':
      return <MatterLine matter={entry.matter} />
    case 'note':
      return <NoteLine note={entry.note} />
    case 'change': {
      const { says, by, object, followed } = entry.change
      const page = objectPage(object)
      return (
        <Line atMs={entry.atMs}>
          {page === null ? says : <Link href={page}>{says}</Link>} <Small>by {by}</Small>
          {followed.length > 0 && (
            <Small>
              {' '}
              · failed within a day: <RunLinks ids={followed} />
            </Small>
          )}
        </Line>
      )
    }
    case 'handed over':
      return (
        <Line atMs={entry.atMs}>
          <HandedOver handOver={entry.handOver} />
        </Line>
      )
  }
}

/** Who took over, and what they should know. */
export const HandedOver = ({ handOver }: { handOver: HandOver }): ReactNode => (
  <>
    <b>{handOverWords(handOver)}.</b> {handOver.note}
  </>
)

function Line({ atMs, mark, children }: { atMs: number; mark?: Mark; children: ReactNode }): ReactNode {
  const { zone } = useMe()
  return (
    <li>
      <time dateTime={new Date(atMs).toISOString()} title={exact(atMs, zone)}>
        {clock(atMs, zone)}
      </time>
      <span>{mark && <StateMark mark={mark} />}</span>
      <div style={{ overflowWrap: 'anywhere' }}>{children}</div>
    </li>
  )
}

/** What was wrong, what it said, who took it, and what came of it. */
export function MatterLine({ matter }: { matter: LogMatter }): ReactNode {
  const { zone } = useMe()
  const { kind, runId, evidence, takenBy, takenAtMs, note, closedBy, closedAtMs, done, openedAtMs } = matter
  const words = matterWords(matter)
  return (
    <Line atMs={openedAtMs} mark={MARKS[kind] ?? 'late'}>
      <b>{runId === null ? words : <Link href={`/runs/${runId}`}>{words}</Link>}</b>
      {evidence !== '' && (
        <div>
          <Mono>{evidence.split('\n').map(visible).join(' · ')}</Mono>
        </div>
      )}
      {takenBy !== null && takenAtMs !== null && (
        <div>
          <Small>
            {clock(takenAtMs, zone)} taken by {withWords(takenBy, note)}
          </Small>
        </div>
      )}
      <div>
        {closedAtMs === null ? (
          <Small style={{ color: 'var(--failed)' }}>open</Small>
        ) : (
          <Small>
            {clock(closedAtMs, zone)} settled: {withWords(closedBy ?? '', done)}
          </Small>
        )}
      </div>
    </Line>
  )
}

function NoteLine({ note: { id, atMs, by, byId, text } }: { note: LogNote }): ReactNode {
  const me = useMe()
  const client = useQueryClient()
  const say = useSay()
  const remove = (): void => {
    api.delete(`/shift-log/notes/${id}`).then(
      () => client.invalidateQueries({ queryKey: ['matters', 'log'] }),
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <Line atMs={atMs}>
      <Row $top>
        <span style={{ flex: 1, whiteSpace: 'pre-wrap' }}>
          {visible(text)} <Small>{by}</Small>
        </span>
        {byId !== null && byId === me.id && (
          <span data-noprint>
            <Button kind="quiet" onPress={remove}>
              Take back
            </Button>
          </span>
        )}
      </Row>
    </Line>
  )
}
