'use client'
import type { ReactNode } from 'react'
import { useMe } from '../hooks/me'
import { useAtNow } from '../hooks/now'
import { duration, exact, relative, when } from '../format'

/** A time in the person's zone; the exact one on hover. */
export function Time({ at, withRelative = false }: { at: string | number | null; withRelative?: boolean }): ReactNode {
  const { zone } = useMe()
  const ms = at === null ? NaN : new Date(at).getTime()
  const said = useAtNow((now) =>
    at === null ? null : `${when(ms, zone, now)}${withRelative ? ` · ${relative(ms, now)}` : ''}`,
  )
  return said === null ? null : <At ms={ms}>{said}</At>
}

export function Ago({ at }: { at: string | number | null }): ReactNode {
  const ms = at === null ? NaN : new Date(at).getTime()
  const said = useAtNow((now) => (at === null ? null : relative(Math.min(ms, now), now)))
  return said === null ? null : <At ms={ms}>{said}</At>
}

/** How long it is until then; what should have been is now. */
export function Until({ at }: { at: string | number }): ReactNode {
  const ms = new Date(at).getTime()
  const said = useAtNow((now) => (ms > now ? relative(ms, now) : 'now'))
  return said === null ? null : <At ms={ms}>{said}</At>
}

function At({ ms, children }: { ms: number; children: string }): ReactNode {
  const { zone } = useMe()
  return (
    <time dateTime={new Date(ms).toISOString()} title={exact(ms, zone)}>
      {children}
    </time>
  )
}

/** How long it took, or has taken so far. */
export function Took({ from, to }: { from: string | null; to: string | null }): ReactNode {
  return useAtNow((now) =>
    from === null ? null : duration(Math.max(0, (to ? new Date(to).getTime() : now) - new Date(from).getTime())),
  )
}
