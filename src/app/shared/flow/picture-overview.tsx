'use client'
import { useState, type PointerEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import type { BarLook } from './picture-bar'

const Strip = styled.div`
  flex: none;
  margin: 4px 14px 0;
  border: 1px solid var(--line);
  background: var(--paper);
  svg {
    display: block;
    width: 100%;
    cursor: crosshair;
    touch-action: none;
  }
`
const HEIGHT = 36
const WIDTH = 1000
const FILLS: Partial<Record<BarLook['state'], string>> = {
  running: 'var(--running)',
  succeeded: 'var(--succeeded)',
  failed: 'var(--failed)',
  skipped: 'var(--line)',
}

/** All of a flow in a strip, and what of it is in sight below: a press or a drag goes there. Fractions of the whole picture. */
export function Overview({
  bars,
  rows,
  begins,
  last,
  seen,
  onGo,
}: {
  bars: readonly { index: number; from: number; to: number; row: number; state: BarLook['state'] }[]
  rows: number
  begins: number
  last: number
  seen: { left: number; width: number; top: number; height: number }
  onGo: (left: number, top: number) => void
}): ReactNode {
  const [dragging, setDragging] = useState(false)
  const go = (event: PointerEvent<SVGSVGElement>): void => {
    const box = event.currentTarget.getBoundingClientRect()
    onGo((event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height)
  }
  const x = (at: number): number => ((at - begins) / (last - begins)) * WIDTH * 0.88
  const row = HEIGHT / rows
  return (
    <Strip data-noprint>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        height={HEIGHT}
        preserveAspectRatio="none"
        role="img"
        aria-label="Overview of the flow"
        onPointerDown={(event) => {
          setDragging(true)
          event.currentTarget.setPointerCapture(event.pointerId)
          go(event)
        }}
        onPointerMove={(event) => dragging && go(event)}
        onPointerUp={() => setDragging(false)}
      >
        {bars.map((bar) => (
          <rect
            key={bar.index}
            x={x(bar.from)}
            y={bar.row * row}
            width={Math.max(2, x(bar.to) - x(bar.from))}
            height={Math.max(1, Math.min(4, row * 0.7))}
            fill={FILLS[bar.state] ?? 'var(--line-strong)'}
          />
        ))}
        <rect
          x={seen.left * WIDTH}
          y={seen.top * HEIGHT}
          width={seen.width * WIDTH}
          height={seen.height * HEIGHT}
          fill="var(--brass)"
          fillOpacity={0.14}
          stroke="var(--brass)"
          vectorEffect="non-scaling-stroke"
        />
      </svg>
    </Strip>
  )
}
