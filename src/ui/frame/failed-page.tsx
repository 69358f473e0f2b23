'use client'
import { useCallback, useEffect, useState, type ReactNode } from 'react'
import styled from 'styled-components'
import { whatAnswers } from '../hooks/reach'
import { face } from '../parts/button-face'
import { Row } from '../parts/layout'
import { Apart } from './apart'

const LOOK_MS = 3000

/** A plain button: this page comes along with every other, and is to weigh nothing. */
const Press = styled.button<{ $kind: 'plain' | 'strong' | 'danger' | 'quiet' }>`
  ${face}
`

/** A whole page while the database is away; loaded anew once it answers. */
export function Away(): ReactNode {
  const retry = useCallback(() => window.location.reload(), [])
  return <FailedPage retry={retry} from="database" />
}

/** A page that could not be made: says which of the reasons it is, and comes back by itself once what was missing answers. `retry` makes it anew. */
export function FailedPage({
  digest,
  retry,
  isInFrame = false,
  from = 'unknown',
}: {
  digest?: string | undefined
  retry: () => void
  isInFrame?: boolean
  /** What was away when the page was made. */
  from?: 'unknown' | 'database'
}): ReactNode {
  const [answers, setAnswers] = useState<'unknown' | 'all' | 'server' | 'database'>(from)
  useEffect(() => {
    let wasAway = from === 'database'
    const look = async (): Promise<void> => {
      const what = await whatAnswers()
      setAnswers(what)
      if (what === 'all' && wasAway) retry()
      wasAway = what !== 'all'
    }
    void look()
    const timer = setInterval(() => void look(), LOOK_MS)
    return () => clearInterval(timer)
  }, [retry, from])
  if (answers === 'database' || answers === 'server')
    return (
      <Apart
        title={answers === 'database' ? 'The database does not answer' : 'Bugle does not answer'}
        isInFrame={isInFrame}
      >
        <p>
          Nothing can be shown now. Work that agents have in hand goes on, and they keep what they have to report. This
          page looks again every {LOOK_MS / 1000} seconds and comes back by itself.
        </p>
      </Apart>
    )
  return (
    <Apart title="This page could not be shown" isInFrame={isInFrame}>
      <p>
        Something failed while it was made. What you had saved is saved.
        {digest && ` The server’s log has it under ${digest}.`}
      </p>
      <Row>
        <Press type="button" $kind="strong" onClick={retry}>
          Try again
        </Press>
        <Press type="button" $kind="plain" onClick={() => window.location.assign('/watch')}>
          To Watch
        </Press>
      </Row>
    </Apart>
  )
}
