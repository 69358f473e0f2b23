import type { ReactNode } from 'react'
import { AreaNav } from '@/ui/parts/area-nav'

const PLACES = [
  ['/watch', 'Now'],
  ['/watch/log', 'Night log'],
  ['/watch/changes', 'What changed'],
] as const

/** The parts of Watch beside what is now. */
export const WatchNav = (): ReactNode => (
  <AreaNav label="Watch" places={PLACES} isHere={(href, path) => path === href} />
)
