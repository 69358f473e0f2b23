'use client'
import { useCallback, useLayoutEffect, useRef, useState, type RefCallback, type UIEvent } from 'react'
import { LEFT, ZOOMS } from './scale'

/** How far the wheel turns for a step of zoom, pixels. */
const WHEEL_STEP = 50
/** A picture that is not laid out yet, or is folded away, is drawn for this width, pixels. */
const LEAST_WIDTH = 320

/** What of a picture is in sight, pixels of the picture, and how far it is zoomed, a place in ZOOMS. */
export interface View {
  readonly top: number
  readonly left: number
  readonly width: number
  readonly height: number
  readonly zoom: number
}

/** Follows scrolling, size and zoom. What is under the pointer, or at `at`, pixels from the left edge, stays there when the zoom changes. */
export function useView(): {
  readonly view: View
  readonly moveTo: (left: number, top: number) => void
  readonly ref: RefCallback<HTMLDivElement>
  readonly onScroll: (event: UIEvent<HTMLDivElement>) => void
  readonly zoomBy: (steps: number, at?: number) => void
} {
  const [view, setView] = useState<View>({ top: 0, left: 0, width: 1200, height: 600, zoom: 0 })
  const scroll = useRef<HTMLDivElement | null>(null)
  const anchor = useRef(0)
  const drawn = useRef(0)
  const change = useCallback(
    (next: Partial<View>) =>
      setView((before) =>
        (Object.keys(next) as (keyof View)[]).every((key) => before[key] === next[key])
          ? before
          : { ...before, ...next },
      ),
    [],
  )
  const zoomBy = useCallback((steps: number, at?: number) => {
    anchor.current = at ?? (scroll.current?.clientWidth ?? 0) / 2
    setView((before) => {
      const zoom = Math.max(0, Math.min(ZOOMS.length - 1, before.zoom + steps))
      return zoom === before.zoom ? before : { ...before, zoom }
    })
  }, [])
  useLayoutEffect(() => {
    const ratio = (ZOOMS[view.zoom] as number) / (ZOOMS[drawn.current] as number)
    drawn.current = view.zoom
    if (ratio === 1 || !scroll.current) return
    const at = anchor.current
    scroll.current.scrollLeft = LEFT + (scroll.current.scrollLeft + at - LEFT) * ratio - at
  }, [view.zoom])
  const stop = useRef<(() => void) | undefined>(undefined)
  // The same function for the life of the picture: a new one would begin to look anew at each drawing, which draws it anew.
  const ref = useCallback(
    (element: HTMLDivElement | null) => {
      stop.current?.()
      scroll.current = element
      if (!element) return
      const observer = new ResizeObserver(() =>
        change({ width: Math.max(LEAST_WIDTH, element.clientWidth), height: element.clientHeight }),
      )
      observer.observe(element)
      let turned = 0
      // Not by React, whose wheel events cannot keep the page from being zoomed instead.
      const onWheel = (event: WheelEvent): void => {
        if (!event.ctrlKey) return
        event.preventDefault()
        turned += event.deltaY
        const steps = Math.trunc(turned / WHEEL_STEP)
        turned -= steps * WHEEL_STEP
        if (steps !== 0) zoomBy(-steps, event.clientX - element.getBoundingClientRect().left)
      }
      element.addEventListener('wheel', onWheel, { passive: false })
      stop.current = () => {
        observer.disconnect()
        element.removeEventListener('wheel', onWheel)
      }
    },
    [change, zoomBy],
  )
  const onScroll = useCallback(
    ({ currentTarget: at }: UIEvent<HTMLDivElement>) => change({ top: at.scrollTop, left: at.scrollLeft }),
    [change],
  )
  const moveTo = useCallback((left: number, top: number) => {
    if (!scroll.current) return
    scroll.current.scrollLeft = left
    scroll.current.scrollTop = top
  }, [])
  return { view, moveTo, ref, onScroll, zoomBy }
}
