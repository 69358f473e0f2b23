'use client'
import { useCallback, type RefCallback } from 'react'

/** What came to nothing is asked for again after so long. */
const AGAIN_MS = 1000

/**
 * Asks for more rows when the end of a list comes near: give the returned ref to an element after the last row. A page that did not come (a look at all pages, because something changed, takes its
 * place) is asked for again as long as the end is in sight.
 */
export function useEndless(fetchNext: () => unknown, hasNext: boolean, count: number): RefCallback<HTMLElement> {
  return useCallback(
    (element: HTMLElement | null) => {
      if (!element || !hasNext || count === 0) return
      let again: ReturnType<typeof setTimeout> | undefined
      let isOver = false
      const lookAgain = (): void => {
        if (isOver) return
        clearTimeout(again)
        again = setTimeout(() => {
          observer.unobserve(element)
          observer.observe(element)
        }, AGAIN_MS)
      }
      const observer = new IntersectionObserver(
        ([entry]) => {
          if (entry?.isIntersecting) void Promise.resolve(fetchNext()).then(lookAgain, lookAgain)
        },
        { rootMargin: '300px' },
      )
      observer.observe(element)
      return () => {
        isOver = true
        clearTimeout(again)
        observer.disconnect()
      }
    },
    [fetchNext, hasNext, count],
  )
}
