'use client'
import { useQuery } from '@tanstack/react-query'
import Link from 'next/link'
import { useRouter } from 'next/navigation'
import { useEffect, useState, type ReactNode } from 'react'
import styled from 'styled-components'
import type { CalendarRow } from '@/service/calendars'
import { api } from '@/ui/api'
import { isoDayIn } from '@/ui/format'
import { useMay, useMe } from '@/ui/hooks/me'
import { useNow } from '@/ui/hooks/now'
import { ButtonLink } from '@/ui/parts/button'
import { Empty, Page, Row, Shelf, Split, Trouble } from '@/ui/parts/layout'
import { TimingNav } from '../timing-nav'
import { CalendarEditor, type Content } from './calendar-editor'
import { ImportIcs } from './calendar-files'
import { useDesk } from './use-desk'

const Whole = styled.div`
  display: flex;
  flex-direction: column;
  flex: 1;
  min-height: 0;
  > header {
    padding: 12px 16px 10px;
    border-bottom: 1px solid var(--line);
  }
`
const List = styled.ul`
  a {
    display: flex;
    justify-content: space-between;
    gap: 8px;
    padding: 5px 14px;
    color: var(--ink);
    border-left: 3px solid transparent;
  }
  a:hover {
    background: var(--sheet);
    text-decoration: none;
  }
  a[aria-current] {
    background: var(--sheet);
    border-color: var(--brass);
    font-weight: 600;
  }
  small {
    color: var(--mute);
    font-size: 12px;
    font-weight: 400;
  }
`
const NEW_RULE: Content = { title: '', notes: '', rule: { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] } }

/** All calendars with their days this year, and one of them in full. */
export function CalendarsScreen({ which }: { which: number | 'first' | 'new' }): ReactNode {
  const router = useRouter()
  const { zone } = useMe()
  const { why } = useMay('design')
  const now = useNow()
  const today = now === 0 ? undefined : isoDayIn(now, zone)
  const [brought, setBrought] = useState<Content | null>(null)
  const { data: calendars, error } = useQuery({
    queryKey: ['calendars'],
    queryFn: () => api.get<CalendarRow[]>('/calendars'),
  })
  const desk = useDesk(calendars)
  const first = calendars?.[0]?.id
  useEffect(() => {
    if (which === 'first' && first !== undefined) router.replace(`/timing/calendars/${first}`)
  }, [which, first, router])
  const chosen = calendars?.find(({ id }) => id === which)
  return (
    <Whole>
      <header>
        <Row>
          <h1>Timing</h1>
          <TimingNav />
        </Row>
      </header>
      <Split>
        <Shelf as="nav" aria-label="Calendars">
          <Row style={{ padding: '0 14px 8px' }}>
            <h2 style={{ flex: 1, fontSize: 13 }}>Calendars</h2>
            <ImportIcs
              whyNot={why}
              onRead={(content) => {
                setBrought(content)
                router.push('/timing/calendars/new')
              }}
            />
            {why === undefined && <ButtonLink href="/timing/calendars/new">New</ButtonLink>}
          </Row>
          <List>
            {calendars?.map(({ id, title, daysThisYear }) => (
              <li key={id}>
                <Link href={`/timing/calendars/${id}`} aria-current={id === which ? 'page' : undefined}>
                  {title} <small title="Days this year">{daysThisYear}</small>
                </Link>
              </li>
            ))}
          </List>
        </Shelf>
        {error && (
          <Page>
            <Trouble error={error} />
          </Page>
        )}
        {calendars && calendars.length === 0 && which === 'first' && (
          <Empty
            title="No calendar yet"
            action={
              <ButtonLink href="/timing/calendars/new" kind="strong">
                New calendar
              </ButtonLink>
            }
          >
            A calendar is a set of days that is defined once and used by many triggers: working days, holidays, month
            ends, seasons.
          </Empty>
        )}
        {calendars && typeof which === 'number' && !chosen && (
          <Empty title="There is no such calendar">It may have been removed. Choose another one on the left.</Empty>
        )}
        {calendars && today && chosen && (
          <CalendarEditor
            key={chosen.id}
            calendar={chosen}
            initial={contentOf(chosen)}
            calendars={calendars}
            desk={desk}
            today={today}
          />
        )}
        {calendars && today && which === 'new' && (
          <CalendarEditor
            key={JSON.stringify(brought)}
            calendar={null}
            initial={brought ?? NEW_RULE}
            calendars={calendars}
            desk={desk}
            today={today}
          />
        )}
      </Split>
    </Whole>
  )
}

export function contentOf({ title, notes, rule }: Content): Content {
  return { title, notes, rule }
}
