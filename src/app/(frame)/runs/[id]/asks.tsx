import { Fragment, type ReactNode } from 'react'
import type { AskRow } from '@/service/runs/run-page'
import { FactItem } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Time } from '@/ui/parts/time'

const SAID: Readonly<Record<AskRow['state'], string>> = {
  asked: 'asked, until',
  later: 'not before',
  agreed: 'agreed,',
  no: 'no,',
  late: 'no answer until',
  over: 'called off, asked at',
}

/** Who was asked at attended robots, and what they said. */
export function AskFacts({ asks }: { asks: readonly AskRow[] }): ReactNode {
  if (asks.length === 0) return null
  return (
    <FactItem name="asked at robots">
      {asks.map((ask, i) => (
        <Fragment key={ask.id}>
          {i > 0 && '; '}
          <Link href={`/fleet/robots/${ask.robotId}`}>{ask.robot}</Link>: {SAID[ask.state]} <Time at={timeOf(ask)} />
          {ask.answeredBy && ` (${ask.answeredBy})`}
        </Fragment>
      ))}
    </FactItem>
  )
}

function timeOf({ state, askedAt, at, answeredAt }: AskRow): string {
  if (state === 'over') return askedAt
  return state === 'agreed' || state === 'no' ? (answeredAt ?? at) : at
}
