'use client'
import { useVirtualizer } from '@tanstack/react-virtual'
import { Fragment, useEffect, useState, type ReactNode, type RefObject } from 'react'

/** Pixels that a line takes until it is drawn. */
const LINE = 32

/** Of very many lines only those in sight; the others keep their room. */
export function RowsInSight({
  count,
  scroll,
  line,
}: {
  readonly count: number
  readonly scroll: RefObject<HTMLElement | null>
  readonly line: (at: number) => ReactNode
}): ReactNode {
  // What scrolls is there only once it is drawn.
  const [isThere, setThere] = useState(false)
  useEffect(() => setThere(true), [])
  const window = useVirtualizer({
    count,
    getScrollElement: () => (isThere ? scroll.current : null),
    estimateSize: () => LINE,
    overscan: 12,
  })
  const shown = window.getVirtualItems()
  const before = shown[0]?.start ?? 0
  return (
    <div style={{ height: window.getTotalSize(), overflow: 'hidden' }}>
      <div style={{ height: before }} />
      {shown.map(({ index }) => (
        <Fragment key={index}>{line(index)}</Fragment>
      ))}
    </div>
  )
}
