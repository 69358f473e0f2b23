'use client'
import { useDeferredValue, useEffect, useRef, useState, type RefObject } from 'react'
import { useOnDemand } from '../hooks/on-demand'
import type { InSight } from './in-sight'

/** Tables of more rows draw only those in sight. */
export const MOST_DRAWN = 150
/** More than are seen at once. These are drawn first, so that they are seen sooner; the others right after. */
const FIRST_DRAWN = 30

/**
 * Which lines of a table to draw. In a long one these are the lines in sight and the focused one, and columns keep the widths that they had at first, so that
 * nothing moves while it is scrolled. What finds out which these are comes once a table is long; until then its first lines are drawn.
 */
export function useWindow(
  count: number,
  columns: number,
  body: RefObject<HTMLTableSectionElement | null>,
  mostDrawn: number,
): {
  readonly scroll: RefObject<HTMLDivElement | null>
  /** Draws the lines of a long table; null: all that `first` counts are drawn. */
  readonly long: {
    readonly InSight: typeof InSight
    readonly props: Omit<Parameters<typeof InSight>[0], 'children'>
  } | null
  readonly first: number
  /** All lines have their room: what follows them is where it belongs. */
  readonly isWhole: boolean
  /** Pixels, of each column; null: as the content has it. */
  readonly widths: readonly number[] | null
  readonly focus: (index: number) => void
  readonly noteFocus: (index: number) => void
} {
  const scroll = useRef<HTMLDivElement>(null)
  const toIndex = useRef<((index: number) => void) | null>(null)
  const isLong = count > mostDrawn
  const [Part, want] = useOnDemand(() => import('./in-sight').then((module) => module.InSight))
  useEffect(() => {
    if (isLong) want()
  }, [isLong, want])
  const [focused, setFocused] = useState(0)
  const wanted = useRef<number | null>(null)
  const rowOf = (index: number): HTMLElement | null =>
    body.current?.querySelector<HTMLElement>(`tr[data-index="${index}"]`) ?? null

  const [widths, setWidths] = useState<readonly number[] | null>(null)
  useEffect(() => {
    const box = scroll.current
    if (!box || !isLong) return setWidths(null)
    let width = box.clientWidth
    const observer = new ResizeObserver(() => {
      if (box.clientWidth !== width) setWidths(null)
      width = box.clientWidth
    })
    observer.observe(box)
    return () => {
      observer.disconnect()
      setWidths(null)
    }
  }, [isLong, columns])
  /** A row that was not drawn gets the focus as soon as it is. */
  const focusWanted = (): void => {
    if (wanted.current === null) return
    const row = rowOf(wanted.current)
    if (!row) return toIndex.current?.(wanted.current)
    wanted.current = null
    row.focus()
  }
  // Those in sight of a long table tell by themselves; the last ones of a short table are drawn a moment after the first.
  useEffect(focusWanted)
  const onDrawn = (): void => {
    const heads = scroll.current?.querySelectorAll<HTMLElement>('thead th') ?? []
    setWidths((before) => before ?? [...heads].map((head) => head.offsetWidth))
    focusWanted()
  }

  const most = Math.min(count, mostDrawn)
  const later = useDeferredValue(most, 0)
  const isKnown = isLong && Part !== null
  const first = Math.min(most, Math.max(FIRST_DRAWN, later))
  return {
    scroll,
    long: isKnown ? { InSight: Part, props: { count, focused, scroll, toIndex, onDrawn } } : null,
    first,
    isWhole: isKnown || first === count,
    widths: isKnown ? widths : null,
    focus: (index) => {
      wanted.current = index
      focusWanted()
    },
    // In a short table all rows are drawn, whichever is focused.
    noteFocus: (index) => isLong && setFocused(index),
  }
}
