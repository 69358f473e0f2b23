'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { CalendarUse } from '@/service/timing/calendar-uses'
import type { CalendarRow } from '@/service/timing/calendars'
import { api } from '@/ui/api'
import { clock, dayAndYear } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { useNow } from '@/ui/hooks/now'
import { Small, Stack } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'

const List = styled.ul`
  display: flex;
  flex-direction: column;
  li {
    display: grid;
    grid-template-columns: 140px 1fr auto;
    gap: 8px;
    line-height: 24px;
    min-height: 24px;
  }
  a {
    display: block;
  }
`
const MOST = 7

/** What stands on the calendar, and what of it starts next. */
export function Uses({ calendar }: { calendar: CalendarRow }): ReactNode {
  const { zone } = useMe()
  const now = useNow(60_000)
  const { data } = useQuery({
    queryKey: ['calendars', calendar.id, 'uses'],
    queryFn: () => api.get<CalendarUse[]>(`/calendars/${calendar.id}/uses`),
  })
  if (!data) return null
  if (data.length === 0)
    return (
      <Stack $gap={4}>
        <h2>Used by nothing yet</h2>
        <Small>
          A trigger takes it under “On” or “Never on”, or as a word of its phrase: on {calendar.title} days.
        </Small>
      </Stack>
    )
  const triggers = data.filter(({ kind }) => kind === 'trigger')
  const others = data.filter(({ kind }) => kind !== 'trigger')
  return (
    <Stack $gap={6}>
      <h2>What it bears on, the next first</h2>
      <List>
        {triggers.slice(0, MOST).map(({ id, title, nextAt, isIndirect }) => (
          <li key={id}>
            <Small style={{ lineHeight: 'inherit' }}>
              {nextAt === null ? 'off or never again' : `${dayAndYear(nextAt, zone, now)} ${clock(nextAt, zone)}`}
            </Small>
            <Link href={`/timing/triggers/${id}`}>{title}</Link>
            <Small style={{ lineHeight: 'inherit' }}>{isIndirect && 'indirectly'}</Small>
          </li>
        ))}
        {others.map(({ kind, id, title, isIndirect }) => (
          <li key={`${kind} ${id}`}>
            <Small style={{ lineHeight: 'inherit' }}>{kind}</Small>
            <Link href={kind === 'robot' ? `/fleet/robots/${id}` : `/timing/calendars/${id}`}>{title}</Link>
            <Small style={{ lineHeight: 'inherit' }}>{isIndirect && 'indirectly'}</Small>
          </li>
        ))}
      </List>
      {triggers.length > MOST && (
        <Link href={`/timing?calendar=${calendar.slug}`}>All {triggers.length} triggers on it</Link>
      )}
    </Stack>
  )
}
