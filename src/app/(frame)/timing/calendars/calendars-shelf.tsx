'use client'
import { useQuery } from '@tanstack/react-query'
import { usePathname, useRouter } from 'next/navigation'
import { createContext, useContext, useMemo, useState, type ReactNode } from 'react'
import styled from 'styled-components'
import type { CalendarRow } from '@/service/timing/calendars'
import { api } from '@/ui/api'
import { isoDayIn } from '@/ui/format'
import { useMay, useMe } from '@/ui/hooks/me'
import { useNow } from '@/ui/hooks/now'
import { ButtonLink } from '@/ui/parts/button'
import { Page, Row, Shelf, Split, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { TimingNav } from '../timing-nav'
import type { Content } from './content'
import { ImportIcs } from './calendar-files'
import { useCalculator, type Calculator } from './use-calculator'

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
interface Shelved {
  readonly calendars: readonly CalendarRow[]
  readonly calculator: Calculator | null
  readonly today: string
  /** What was read from a file, to be looked at and saved. */
  readonly brought: Content | null
  readonly setBrought: (content: Content | null) => void
}
const ShelfContext = createContext<Shelved | null>(null)

export function useShelf(): Shelved {
  const shelf = useContext(ShelfContext)
  if (!shelf) throw new Error('Only inside the shelf of calendars.')
  return shelf
}

/** All calendars with their days this year, beside whatever page of theirs is open; they share one calculator. */
export function CalendarsShelf({ children }: { children: ReactNode }): ReactNode {
  const router = useRouter()
  const path = usePathname()
  const { zone } = useMe()
  const { why } = useMay('design')
  const now = useNow(60_000)
  const [brought, setBrought] = useState<Content | null>(null)
  const { data: calendars, error } = useQuery({
    queryKey: ['calendars'],
    queryFn: () => api.get<CalendarRow[]>('/calendars'),
  })
  const calculator = useCalculator(calendars)
  const today = now === 0 ? null : isoDayIn(now, zone)
  const shelf = useMemo(
    () => (calendars && today ? { calendars, calculator, today, brought, setBrought } : null),
    [calendars, calculator, today, brought],
  )
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
                <Link
                  href={`/timing/calendars/${id}`}
                  aria-current={path === `/timing/calendars/${id}` ? 'page' : undefined}
                >
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
        {shelf && <ShelfContext.Provider value={shelf}>{children}</ShelfContext.Provider>}
      </Split>
    </Whole>
  )
}
