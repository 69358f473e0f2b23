'use client'
import { usePathname, useSearchParams } from 'next/navigation'
import { useCallback, useMemo } from 'react'

/** The screen's state lives in the address: reads it, and changes some of it. `push` makes a step for “back”. */
export function useAddress(): {
  readonly values: Readonly<Record<string, string>>
  readonly set: (changes: Record<string, string | null>, how?: 'push' | 'replace') => void
} {
  const params = useSearchParams()
  const pathname = usePathname()
  const values = useMemo(() => Object.fromEntries(params), [params])
  const set = useCallback(
    (changes: Record<string, string | null>, how: 'push' | 'replace' = 'push') => {
      const next = new URLSearchParams(window.location.search)
      for (const [key, value] of Object.entries(changes)) {
        if (value === null || value === '') next.delete(key)
        else next.set(key, value)
      }
      const text = next.toString()
      // At once and without the server: what is read from the address in the next key press must be what the last one wrote.
      window.history[how === 'push' ? 'pushState' : 'replaceState'](
        null,
        '',
        text === '' ? pathname : `${pathname}?${text}`,
      )
    },
    [pathname],
  )
  return { values, set }
}
