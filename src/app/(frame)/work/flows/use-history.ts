'use client'
import { useCallback, useEffect, useState } from 'react'

const MOST = 200

export interface History<T> {
  /** Notes what it was before a change; quick changes of one thing, named by `what`, count as one. */
  readonly note: (before: T, what: string) => void
  readonly undo: (() => void) | null
  readonly redo: (() => void) | null
}

interface Past<T> {
  readonly back: readonly { readonly value: T; readonly what: string; readonly at: number }[]
  readonly forth: readonly T[]
}

/** Undo and redo of something that is edited, by button and by Ctrl Z and Ctrl Shift Z outside of fields. */
export function useHistory<T>(now: T, become: (value: T) => void): History<T> {
  const [past, setPast] = useState<Past<T>>({ back: [], forth: [] })
  const note = useCallback((value: T, what: string) => {
    setPast(({ back }) => {
      const at = Date.now()
      const last = back.at(-1)
      if (last && last.what === what && at - last.at < 1500)
        return { back: [...back.slice(0, -1), { ...last, at }], forth: [] }
      return { back: [...back.slice(-MOST), { value, what, at }], forth: [] }
    })
  }, [])
  const last = past.back.at(-1)
  const next = past.forth.at(-1)
  const undo = last
    ? () => {
        setPast({ back: past.back.slice(0, -1), forth: [...past.forth, now] })
        become(last.value)
      }
    : null
  const redo =
    next === undefined
      ? null
      : () => {
          setPast({ back: [...past.back, { value: now, what: 'again', at: 0 }], forth: past.forth.slice(0, -1) })
          become(next)
        }
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z') return
      if ((event.target as Element).closest('input, textarea, [contenteditable]')) return
      const act = event.shiftKey ? redo : undo
      if (!act) return
      event.preventDefault()
      act()
    }
    window.addEventListener('keydown', onKey)
    return () => window.removeEventListener('keydown', onKey)
  })
  return { note, undo, redo }
}
