'use client'
import { useEffect, useRef, type RefObject } from 'react'

/** Asks for more rows when the end of a list comes near: give the returned ref to an element after the last row. */
export function useEndless(
  fetchNext: () => unknown,
  hasNext: boolean,
  count: number,
): RefObject<HTMLDivElement | null> {
  const end = useRef<HTMLDivElement>(null)
  useEffect(() => {
    const element = end.current
    if (!element) return
    const observer = new IntersectionObserver(([entry]) => entry?.isIntersecting && hasNext && void fetchNext(), {
      rootMargin: '300px',
    })
    observer.observe(element)
    return () => observer.disconnect()
  }, [fetchNext, hasNext, count])
  return end
}
