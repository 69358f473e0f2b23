'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { ShownChanges } from '@/service/forecast/previews'
import { clock, dayAndYear } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { useNow } from '@/ui/hooks/now'
import { Small } from '@/ui/parts/layout'

const List = styled.ul`
  display: flex;
  flex-direction: column;
  gap: 2px;
  li {
    display: grid;
    grid-template-columns: 62px 1fr;
    gap: 8px;
  }
  b {
    font-weight: 600;
  }
  [data-what='dropped'] b {
    color: var(--failed);
  }
  [data-what='added'] b {
    color: var(--succeeded);
  }
  [data-what='moved'] b {
    color: var(--late);
  }
`
const MOST = 6

/** `2 dropped, 1 moved`, or that nothing changes. */
export function summaryOf(changes: ShownChanges): string {
  const parts = [
    [changes.moved.length, 'moved'],
    [changes.dropped.length, 'dropped'],
    [changes.added.length, 'added'],
  ] as const
  const said = parts.filter(([n]) => n > 0).map(([n, what]) => `${n} ${what}`)
  return said.length === 0 ? 'no coming start changes' : said.join(', ')
}

/** Which coming starts would be added, dropped or moved. */
export function ChangesList({ changes }: { changes: ShownChanges }): ReactNode {
  const { zone } = useMe()
  const now = useNow(60_000)
  const say = (at: string): string => `${dayAndYear(at, zone, now)} ${clock(at, zone)}`
  const rows = [
    ...changes.moved.map(({ from, to }) => ({ what: 'moved', at: from, text: `${say(from)} → ${say(to)}` })),
    ...changes.dropped.map((at) => ({ what: 'dropped', at, text: say(at) })),
    ...changes.added.map((at) => ({ what: 'added', at, text: say(at) })),
  ].sort((a, b) => (a.at < b.at ? -1 : 1))
  if (rows.length === 0) return <Small>No coming start changes.</Small>
  return (
    <List>
      {rows.slice(0, MOST).map((row) => (
        <li key={`${row.what} ${row.at}`} data-what={row.what}>
          <b>{row.what}</b>
          <span>{row.text}</span>
        </li>
      ))}
      {rows.length > MOST && (
        <li>
          <span />
          <Small>and {rows.length - MOST} more among the next 20</Small>
        </li>
      )}
    </List>
  )
}
