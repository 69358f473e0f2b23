'use client'
import { usePathname } from 'next/navigation'
import type { ReactNode } from 'react'
import { AreaNav } from '@/ui/parts/area-nav'

const PLACES = [
  ['/timing', 'Triggers'],
  ['/timing/calendars', 'Calendars'],
  ['/timing/coming', 'Next starts'],
  ['/timing/not-started', 'Not started'],
  ['/timing/exchange', 'In and out'],
] as const
/** Found from its matter; among the parts while somebody is there. */
const SINCE_BACK_UP = ['/timing/since-back-up', 'Since the back-up'] as const

const isHere = (href: string, path: string): boolean =>
  href === '/timing' ? path === '/timing' || path.startsWith('/timing/triggers') : path.startsWith(href)

/** The parts of Timing. */
export function TimingNav(): ReactNode {
  const path = usePathname()
  return (
    <AreaNav
      label="Timing"
      places={[...PLACES, ...(path.startsWith(SINCE_BACK_UP[0]) ? [SINCE_BACK_UP] : [])]}
      isHere={isHere}
    />
  )
}
