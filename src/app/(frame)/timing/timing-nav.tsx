'use client'
import { usePathname } from 'next/navigation'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import { Link } from '@/ui/parts/link'

const Bar = styled.nav`
  display: flex;
  gap: 4px;
  a {
    padding: 2px 9px;
    border-radius: 3px;
    line-height: 22px;
    color: var(--mute);
    font-weight: 600;
  }
  a:hover {
    background: var(--shelf);
    text-decoration: none;
  }
  a[aria-current] {
    color: var(--ink);
    box-shadow: inset 0 -2px var(--brass);
    border-radius: 3px 3px 0 0;
  }
`
const PLACES = [
  ['/timing', 'Triggers'],
  ['/timing/calendars', 'Calendars'],
  ['/timing/coming', 'Next starts'],
  ['/timing/not-started', 'Not started'],
  ['/timing/exchange', 'In and out'],
] as const
/** Found from its matter; among the parts while somebody is there. */
const SINCE_BACK_UP = ['/timing/since-back-up', 'Since the back-up'] as const

/** The parts of Timing. */
export function TimingNav(): ReactNode {
  const path = usePathname()
  const isHere = (href: string): boolean =>
    href === '/timing' ? path === '/timing' || path.startsWith('/timing/triggers') : path.startsWith(href)
  return (
    <Bar aria-label="Timing">
      {[...PLACES, ...(isHere(SINCE_BACK_UP[0]) ? [SINCE_BACK_UP] : [])].map(([href, title]) => (
        <Link key={href} href={href} aria-current={isHere(href) ? 'page' : undefined}>
          {title}
        </Link>
      ))}
    </Bar>
  )
}
