'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useEffect, type ReactNode } from 'react'
import styled from 'styled-components'
import { exact } from '../format'
import { useMe } from '../hooks/me'
import { answered, didNotAnswer, useAway, whatAnswers } from '../hooks/reach'

const LOOK_MS = 3000

const Bar = styled.div`
  padding: 6px 16px;
  background: var(--failed-soft);
  color: var(--ink);
  border-bottom: 1px solid var(--failed);
`

/** Says on every screen what is not known, and since when; looks by itself whether it is over, and then asks for everything again. */
export function AwayBar(): ReactNode {
  const away = useAway()
  const { zone } = useMe()
  const client = useQueryClient()
  const isAway = away !== null
  useEffect(() => {
    if (!isAway) return
    const timer = setInterval(() => {
      void whatAnswers().then((what) => {
        if (what !== 'all') return didNotAnswer(what)
        answered()
        void client.invalidateQueries()
      })
    }, LOOK_MS)
    return () => clearInterval(timer)
  }, [isAway, client])
  if (!away) return null
  return (
    <Bar role="status">
      <b>{away.what === 'database' ? 'The database does not answer.' : 'Bugle does not answer.'}</b> Everything here is
      as it was at {exact(away.sinceMs, zone).slice(11, 19)}; nothing is known of what has happened since. Work that
      agents have in hand goes on. This page looks again every {LOOK_MS / 1000} seconds by itself.
    </Bar>
  )
}
