'use client'
import { usePathname, useSearchParams } from 'next/navigation'
import { useCallback, useEffect, useMemo } from 'react'

type Values = Readonly<Record<string, string>>

/**
 * What was written into the address here and is not drawn yet: the search that was drawn last, then each that was written after it.
 * Next draws them in transitions, and with each that it draws it writes that one into the window again (HistoryUpdater of its app router):
 * while several are on their way, the window may say what was wanted before the last.
 */
let written: { readonly path: string; readonly searches: readonly string[] } | null = null
if (typeof window !== 'undefined') window.addEventListener('popstate', () => (written = null))

const searchNow = (): string =>
  written?.path === window.location.pathname
    ? (written.searches.at(-1) ?? '')
    : new URLSearchParams(window.location.search).toString()

const now = (): Values => Object.fromEntries(new URLSearchParams(searchNow()))

function noteDrawn(path: string, search: string): void {
  if (!written) return
  const at = written.path === path ? written.searches.indexOf(search) : -1
  const left = written.searches.slice(at)
  written = at < 0 || left.length < 2 ? null : { path, searches: left }
}

/** The screen's state lives in the address: reads it, and changes some of it. `push` makes a step for “back”. */
export function useAddress(): {
  readonly values: Values
  /** What was written last: a key may come before it is drawn. */
  readonly now: () => Values
  readonly set: (changes: Record<string, string | null>, how?: 'push' | 'replace') => void
} {
  const params = useSearchParams()
  const pathname = usePathname()
  const values = useMemo(() => Object.fromEntries(params), [params])
  useEffect(() => noteDrawn(pathname, params.toString()), [pathname, params])
  const set = useCallback(
    (changes: Record<string, string | null>, how: 'push' | 'replace' = 'push') => {
      const before = searchNow()
      const next = new URLSearchParams(before)
      for (const [key, value] of Object.entries(changes)) {
        if (value === null || value === '') next.delete(key)
        else next.set(key, value)
      }
      const text = next.toString()
      if (text !== before)
        written = { path: pathname, searches: [...(written?.path === pathname ? written.searches : [before]), text] }
      window.history[how === 'push' ? 'pushState' : 'replaceState'](
        null,
        '',
        text === '' ? pathname : `${pathname}?${text}`,
      )
    },
    [pathname],
  )
  return { values, now, set }
}
