'use client'
import type { ReactNode } from 'react'
import { useMe } from '../hooks/me'
import { useNow } from '../hooks/now'
import { duration, exact, relative, when } from '../format'

/** A time in the person's zone; the exact one on hover. */
export function Time({ at, withRelative = false }: { at: string | number | null; withRelative?: boolean }): ReactNode {
  const { zone } = useMe()
  const now = useNow()
  if (at === null || now === 0) return null
  const ms = new Date(at).getTime()
  return (
    <time dateTime={new Date(ms).toISOString()} title={exact(ms, zone)}>
      {when(ms, zone, now)}
      {withRelative && ` · ${relative(ms, now)}`}
    </time>
  )
}

export function Ago({ at }: { at: string | number | null }): ReactNode {
  const { zone } = useMe()
  const now = useNow()
  if (at === null || now === 0) return null
  const ms = new Date(at).getTime()
  return (
    <time dateTime={new Date(ms).toISOString()} title={exact(ms, zone)}>
      {relative(Math.min(ms, now), now)}
    </time>
  )
}

/** How long it took, or has taken so far. */
export function Took({ from, to }: { from: string | null; to: string | null }): ReactNode {
  const now = useNow()
  if (from === null || now === 0) return null
  return duration(Math.max(0, (to ? new Date(to).getTime() : now) - new Date(from).getTime()))
}
