import { usePathname } from 'next/navigation'
import type { ReactNode } from 'react'
import { AreaNav } from '@/ui/parts/area-nav'

const PLACES = [
  ['/watch/log', 'Night log'],
  ['/watch/changes', 'What changed'],
] as const

/** The parts of Watch beside what is now. */
export function WatchNav(): ReactNode {
  const isNow = usePathname() === '/watch'
  return <AreaNav label="Watch" places={isNow ? PLACES : [['/watch', 'Now'], ...PLACES]} isHere={isHere} />
}

const isHere = (href: string, path: string): boolean => path === href
