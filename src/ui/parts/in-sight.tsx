'use client'
import { defaultRangeExtractor, useVirtualizer } from '@tanstack/react-virtual'
import { useLayoutEffect, type ReactNode, type RefObject } from 'react'

/** Of a row with its line, pixels. */
const ROW_HEIGHT = 28

/** A row's index, or room for rows that are not drawn. */
export type Piece = number | { readonly from: number; readonly height: number }

/** The lines of a long table that are in sight, and the focused one, with room where others are left out. */
export function InSight({
  count,
  focused,
  scroll,
  toIndex,
  onDrawn,
  children,
}: {
  count: number
  focused: number
  scroll: RefObject<HTMLElement | null>
  /** Is given what scrolls to a line. */
  toIndex: RefObject<((index: number) => void) | null>
  /** After the lines in sight were drawn, each time; before they are painted. */
  onDrawn: () => void
  /** Draws one, with a key that it keeps when it comes to stand elsewhere. */
  children: (piece: Piece) => ReactNode
}): ReactNode {
  const virtual = useVirtualizer({
    count,
    getScrollElement: () => scroll.current,
    estimateSize: () => ROW_HEIGHT,
    // Until its height is known, and while it is built out of sight.
    initialRect: { width: 0, height: 10 * ROW_HEIGHT },
    overscan: 15,
    rangeExtractor: (range) =>
      [...new Set([Math.min(focused, range.count - 1), ...defaultRangeExtractor(range)])].sort((a, b) => a - b),
  })
  useLayoutEffect(() => {
    toIndex.current = (index) => virtual.scrollToIndex(index)
    return () => {
      toIndex.current = null
    }
  }, [virtual, toIndex])
  const indexes = virtual.getVirtualItems().map(({ index }) => index)
  const isDrawn = indexes.length > 0
  useLayoutEffect(() => {
    if (isDrawn) onDrawn()
  })
  return piecesOf(indexes, count).map(children)
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
