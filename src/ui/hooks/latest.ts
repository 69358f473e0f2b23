'use client'
import { useCallback, useLayoutEffect, useRef } from 'react'

/** The same function each time, which does what the newest one does: for parts that are drawn again only when what they show changes. */
export function useLatest<A extends unknown[]>(work: (...args: A) => void): (...args: A) => void {
  const latest = useRef(work)
  useLayoutEffect(() => {
    latest.current = work
  })
  return useCallback((...args: A) => latest.current(...args), [])
}
