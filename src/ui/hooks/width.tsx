'use client'
import { useCallback, useRef, useState, type RefCallback } from 'react'

/** The width of an element in pixels, followed as it changes; `initial` until it is known. Give the callback as its ref. */
export function useWidth(initial: number): [number, RefCallback<HTMLElement>] {
  const [width, setWidth] = useState(initial)
  const observer = useRef<ResizeObserver | null>(null)
  const ref = useCallback((element: HTMLElement | null) => {
    observer.current?.disconnect()
    if (!element) return
    observer.current = new ResizeObserver(() => setWidth(element.clientWidth))
    observer.current.observe(element)
  }, [])
  return [width, ref]
}
