'use client'
import { useQuery } from '@tanstack/react-query'
import { usePathname } from 'next/navigation'
import type { ReactNode } from 'react'
import { Button as AriaButton } from 'react-aria-components'
import styled from 'styled-components'
import { Link } from '@/ui/parts/link'
import { api, type ApiProblem } from '../api'
import { cityOf, clock, day, when } from '../format'
import { useLive } from '../hooks/live'
import { useMe } from '../hooks/me'
import { useNow } from '../hooks/now'
import { useSay } from './announcer'
import { BrandMark } from './brand'
import { PersonMenu } from './person-menu'

/** An area that does not exist yet is not here. */
const AREAS = [
  ['/watch', 'Watch'],
  ['/runs', 'Runs'],
  ['/work', 'Work'],
  ['/timing', 'Timing'],
  ['/fleet', 'Fleet'],
  ['/tuning', 'Tuning'],
  ['/reports', 'Reports'],
] as const

const Bar = styled.header`
  height: 44px;
  /* Magnified to twice its size it takes two lines: nothing lies beside the window (WCAG 1.4.10). */
  @media (max-width: 900px) {
    height: auto;
    min-height: 44px;
    flex-wrap: wrap;
    row-gap: 4px;
    padding-block: 6px;
  }
  flex: none;
  display: flex;
  align-items: center;
  gap: 16px;
  padding: 0 16px;
  background: var(--deck);
  color: #fffdf8;
  .brand {
    display: flex;
    gap: 10px;
    align-items: center;
    font:
      700 17px/20px 'Archivo Variable',
      sans-serif;
    font-stretch: 110%;
    margin-right: 8px;
  }
  nav {
    display: flex;
    align-self: stretch;
  }
  nav a {
    display: flex;
    align-items: center;
    padding: 3px 13px 0;
    border-bottom: 3px solid transparent;
    color: #c8d2d1;
  }
  nav a:hover {
    color: #fff;
    text-decoration: none;
  }
  nav a[aria-current] {
    color: #fff;
    font-weight: 600;
    border-color: var(--brass);
  }
  /* All areas in one line on a smaller window, too. */
  @media (max-width: 1180px) {
    gap: 10px;
    .brand {
      margin-right: 0;
    }
    nav a {
      padding-inline: 8px;
    }
  }
  .spring {
    flex: 1;
  }
  time {
    white-space: nowrap;
    color: #c8d2d1;
  }
  time b {
    color: #fff;
  }
`
const Finder = styled(AriaButton)`
  width: 206px;
  height: 28px;
  display: flex;
  align-items: center;
  justify-content: space-between;
  padding: 0 6px 0 10px;
  border: 1px solid var(--deck-line);
  border-radius: 3px;
  background: rgb(0 0 0 / 18%);
  color: #c8d2d1;
  cursor: pointer;
  white-space: nowrap;
  flex: none;
  /* On a small window its key is told by the keys’ own list. */
  @media (max-width: 1180px) {
    width: auto;
    padding-right: 10px;
    kbd {
      display: none;
    }
  }
  kbd {
    font-size: 11px;
    border: 1px solid var(--deck-line);
    border-radius: 2px;
    padding: 1px 5px;
  }
`
const Matters = styled(Link)<{ $open: boolean }>`
  padding: 3px 10px;
  border-radius: 3px;
  font-weight: 600;
  background: ${(p) => (p.$open ? '#be3a1e' : 'transparent')};
  color: ${(p) => (p.$open ? '#fff' : '#c8d2d1')};
  white-space: nowrap;
`
const Off = styled.div`
  background: var(--late-soft);
  color: var(--late);
  padding: 4px 16px;
  font-weight: 600;
`

interface Starts {
  readonly on: boolean
  readonly by?: string
  readonly at?: string
  readonly note?: string
}

export function TopBar({
  onFind,
  onHelp,
  onAction,
}: {
  onFind: () => void
  onHelp: () => void
  onAction: (action: string) => Promise<void>
}): ReactNode {
  const me = useMe()
  const say = useSay()
  const now = useNow()
  const path = usePathname()
  const { connected, paused, setPaused } = useLive()
  const { data: matters } = useQuery({
    queryKey: ['matters'],
    queryFn: () => api.get<{ state: string }[]>('/matters'),
    refetchInterval: 30_000,
  })
  const { data: starts } = useQuery({
    queryKey: ['starts'],
    queryFn: () => api.get<Starts>('/starts'),
    refetchInterval: 60_000,
  })
  const open = matters?.filter((matter) => matter.state === 'open').length
  return (
    <>
      <Bar>
        <Link href="/start" className="brand" aria-label="Bugle, to Start">
          <BrandMark />
          Bugle
        </Link>
        <nav aria-label="Areas">
          {AREAS.filter(([href]) => href !== '/fleet' || me.role !== 'none').map(([href, title]) => (
            <Link key={href} href={href} aria-current={path.startsWith(href) ? 'page' : undefined}>
              {title}
            </Link>
          ))}
        </nav>
        <div className="spring" />
        <Finder onPress={onFind} aria-label="Find or do, Control K">
          Find or do <kbd>Ctrl K</kbd>
        </Finder>
        {now > 0 && (
          <time dateTime={new Date(now).toISOString()} title={`Times are shown in ${me.zone}`}>
            <b>{clock(now, me.zone)}</b> {day(now, me.zone)} · {cityOf(me.zone)}
          </time>
        )}
        {/* Nothing is said before it is known. */}
        {open !== undefined && (
          <Matters href="/watch" $open={open > 0}>
            {open === 0 ? 'all is well' : `${open} need${open === 1 ? 's' : ''} a person`}
          </Matters>
        )}
        <PersonMenu
          paused={paused}
          onAction={(id) => {
            if (id === 'help') onHelp()
            else if (id === 'pause') setPaused(!paused)
            else onAction(id).catch((error: ApiProblem) => say(error.detail, { bad: true }))
          }}
        />
      </Bar>
      {!connected && (
        <Off role="status">
          The server is out of reach. What you see may be old; runs on the machines go on. Bugle tries again by itself.
        </Off>
      )}
      {starts && !starts.on && (
        <Off role="status">
          Starts by triggers are off{starts.at && ` since ${when(starts.at, me.zone, now)}`}
          {starts.by && `, switched off by ${starts.by}`}
          {starts.note && ` (${starts.note})`}. Runs go on.{' '}
          <Link href="/settings?tab=timing">Switch them on again</Link>
        </Off>
      )}
      {connected && paused && <Off role="status">Live updates are on hold. What you see may be old.</Off>}
    </>
  )
}
