'use client'
import { defaultRangeExtractor, useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useLayoutEffect, useRef, useState, type RefObject } from 'react'

/** Tables of more rows draw only those in sight. */
export const MOST_DRAWN = 150
/** Of a row with its line, pixels. */
const ROW_HEIGHT = 28

/** A row's index, or room for rows that are not drawn. */
export type Piece = number | { readonly from: number; readonly height: number }

/**
 * Which rows of a table to draw. In a long one these are the rows in sight and the focused one, and columns keep the widths that they had at first, so that
 * nothing moves while it is scrolled.
 */
export function useWindow(
  count: number,
  columns: number,
  body: RefObject<HTMLTableSectionElement | null>,
  mostDrawn: number,
): {
  readonly scroll: RefObject<HTMLDivElement | null>
  readonly pieces: readonly Piece[]
  /** Pixels, of each column; null: as the content has it. */
  readonly widths: readonly number[] | null
  readonly focus: (index: number) => void
  readonly noteFocus: (index: number) => void
} {
  const scroll = useRef<HTMLDivElement>(null)
  const isLong = count > mostDrawn
  const [focused, setFocused] = useState(0)
  const wanted = useRef<number | null>(null)
  const virtual = useVirtualizer({
    count: isLong ? count : 0,
    getScrollElement: () => scroll.current,
    estimateSize: () => ROW_HEIGHT,
    // Until its height is known, and while it is built out of sight.
    initialRect: { width: 0, height: 10 * ROW_HEIGHT },
    overscan: 15,
    rangeExtractor: (range) =>
      [...new Set([Math.min(focused, range.count - 1), ...defaultRangeExtractor(range)])].sort((a, b) => a - b),
  })
  const indexes = isLong ? virtual.getVirtualItems().map(({ index }) => index) : []
  const rowOf = (index: number): HTMLElement | null =>
    body.current?.querySelector<HTMLElement>(`tr[data-index="${index}"]`) ?? null
  // A row that was out of sight gets the focus as soon as it is drawn.
  useEffect(() => {
    if (wanted.current === null) return
    const row = rowOf(wanted.current)
    if (!row) return
    wanted.current = null
    row.focus()
  })

  const [widths, setWidths] = useState<readonly number[] | null>(null)
  const isDrawn = indexes.length > 0
  useLayoutEffect(() => {
    if (!isLong || !isDrawn) return setWidths(null)
    const heads = scroll.current?.querySelectorAll<HTMLElement>('thead th') ?? []
    setWidths((before) => before ?? [...heads].map((head) => head.offsetWidth))
  }, [isLong, isDrawn, columns, widths])
  useEffect(() => {
    const box = scroll.current
    if (!box || !isLong) return
    let width = box.clientWidth
    const observer = new ResizeObserver(() => {
      if (box.clientWidth !== width) setWidths(null)
      width = box.clientWidth
    })
    observer.observe(box)
    return () => observer.disconnect()
  }, [isLong, columns])

  return {
    scroll,
    pieces: isLong ? piecesOf(indexes, count) : Array.from({ length: count }, (_, index) => index),
    widths: isLong ? widths : null,
    focus: (index) => {
      const row = rowOf(index)
      if (row) return row.focus()
      wanted.current = index
      virtual.scrollToIndex(index)
    },
    // In a short table all rows are drawn, whichever is focused.
    noteFocus: (index) => isLong && setFocused(index),
  }
}

/** These rows, with room where others are left out. */
export function piecesOf(indexes: readonly number[], count: number): Piece[] {
  const pieces: Piece[] = []
  let next = 0
  const fill = (to: number): void => {
    if (to > next) pieces.push({ from: next, height: (to - next) * ROW_HEIGHT })
  }
  for (const index of indexes) {
    fill(index)
    pieces.push(index)
    next = index + 1
  }
  fill(count)
  return pieces
}
