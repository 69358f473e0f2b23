'use client'
import { useCallback, type RefCallback } from 'react'

/** Asks for more rows when the end of a list comes near: give the returned ref to an element after the last row. */
export function useEndless(fetchNext: () => unknown, hasNext: boolean, count: number): RefCallback<HTMLElement> {
  return useCallback(
    (element: HTMLElement | null) => {
      if (!element || !hasNext || count === 0) return
      const observer = new IntersectionObserver(([entry]) => entry?.isIntersecting && void fetchNext(), {
        rootMargin: '300px',
      })
      observer.observe(element)
      return () => observer.disconnect()
    },
    [fetchNext, hasNext, count],
  )
}
