'use client'
import { useRef, useState, type KeyboardEvent, type PointerEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import { useWidth } from '@/ui/hooks/width'
import { Link } from '@/ui/parts/link'
import { PLOT } from './load-chart'

const Row = styled.div`
  position: relative;
  height: 30px;
  border-top: 1px solid var(--line);
  .mark {
    position: absolute;
    top: 1px;
    display: flex;
    height: 26px;
    border-radius: 3px;
    background: var(--sheet);
    border: 1px solid var(--line-strong);
    font-size: 12px;
    line-height: 24px;
    white-space: nowrap;
    cursor: ew-resize;
    touch-action: none;
    user-select: none;
  }
  .mark > :first-child {
    padding: 0 2px 0 7px;
    font-weight: 600;
  }
  .mark > [role='slider'] {
    padding: 0 7px 0 4px;
  }
  .mark[data-moved='true'] {
    border-color: var(--running);
    box-shadow: inset 3px 0 var(--running);
  }
  .mark[data-bad='true'] {
    border-color: var(--failed);
    box-shadow: inset 3px 0 var(--failed);
    color: var(--failed);
  }
  [role='slider']:focus-visible {
    outline: 2px solid var(--brass);
    outline-offset: -1px;
  }
  .window {
    position: absolute;
    top: 10px;
    height: 10px;
    background: var(--running);
    opacity: 0.14;
    border-radius: 2px;
  }
  .was {
    position: absolute;
    top: 2px;
    bottom: 2px;
    width: 2px;
    background: var(--failed);
    opacity: 0.6;
  }
`

export interface StartMark {
  readonly trigger: string
  readonly id: number
  readonly title: string
  /** Times of day, as written and as tried. */
  readonly from: string
  readonly to: string
  /** Where it lies as written, milliseconds since the epoch. */
  readonly at: number
  readonly minutes: number
  /** Milliseconds since the epoch, as far as it is within the stretch. */
  readonly window: readonly [number, number] | null
  /** Why it may not be there. */
  readonly forbids: string | null
}

const GRID = 5
const STEPS: Readonly<Record<string, number>> = { ArrowLeft: -GRID, ArrowRight: GRID, PageUp: -30, PageDown: 30 }
/** Px: a mark that begins further right has its words on its left. */
const RIGHT_ROOM = 190

/** Starts on the time scale of the chart above: dragged, or moved by arrow keys, five minutes at a time. */
export function StartsStrip({
  marks,
  first,
  last,
  onMove,
  onStep,
}: {
  marks: readonly StartMark[]
  first: number
  last: number
  /** To so many minutes from where it is as written. */
  onMove: (trigger: string, minutes: number) => void
  /** So many minutes further. */
  onStep: (trigger: string, by: number) => void
}): ReactNode {
  const [width, box] = useWidth(800)
  const plot = width - PLOT.left - PLOT.right
  const x = (at: number): number => PLOT.left + ((at - first) / Math.max(1, last - first)) * plot
  const perPixel = (last - first) / 60_000 / Math.max(1, plot)
  return (
    <div ref={box} role="group" aria-label="Starts that can be moved">
      {marks.map((mark) => (
        <Row key={mark.trigger}>
          {mark.window && (
            <div
              className="window"
              style={{ left: x(mark.window[0]), width: Math.max(0, x(mark.window[1]) - x(mark.window[0])) }}
            />
          )}
          {mark.minutes !== 0 && <div className="was" style={{ left: x(mark.at) }} />}
          <Mark
            mark={mark}
            left={x(mark.at + mark.minutes * 60_000)}
            width={width}
            perPixel={perPixel}
            onMove={onMove}
            onStep={onStep}
          />
        </Row>
      ))}
    </div>
  )
}

function Mark({
  mark: { trigger, id, title, from, to, minutes, forbids },
  left,
  width,
  perPixel,
  onMove,
  onStep,
}: {
  mark: StartMark
  left: number
  width: number
  perPixel: number
  onMove: (trigger: string, minutes: number) => void
  onStep: (trigger: string, by: number) => void
}): ReactNode {
  const begun = useRef<{ x: number; minutes: number } | null>(null)
  const [isDragged, setDragged] = useState(false)
  const onKeyDown = (event: KeyboardEvent): void => {
    if (event.key === 'Escape' || event.key === 'Home') {
      event.preventDefault()
      return onMove(trigger, 0)
    }
    const step = STEPS[event.key]
    if (step === undefined) return
    event.preventDefault()
    onStep(trigger, step)
  }
  const onPointerMove = ({ clientX }: PointerEvent): void => {
    if (!begun.current) return
    const by = Math.round(((clientX - begun.current.x) * perPixel) / GRID) * GRID
    if (begun.current.minutes + by !== minutes) onMove(trigger, begun.current.minutes + by)
  }
  const isRight = left > width - RIGHT_ROOM
  const words = `${to}${minutes === 0 ? '' : ` (${minutes > 0 ? '+' : '−'}${Math.abs(minutes)} min)`}${forbids ? ` · ${forbids}` : ''}`
  return (
    <div
      className="mark"
      data-moved={minutes !== 0}
      data-bad={forbids !== null}
      title={forbids ?? `${title}: ${words}`}
      style={isRight ? { right: Math.max(0, width - left) } : { left: Math.max(0, left) }}
      onPointerDown={(event) => {
        if ((event.target as Element).closest('a')) return
        event.currentTarget.setPointerCapture(event.pointerId)
        begun.current = { x: event.clientX, minutes }
        setDragged(true)
      }}
      onPointerMove={onPointerMove}
      onPointerUp={() => {
        begun.current = null
        setDragged(false)
      }}
    >
      {isDragged ? <b>{title}</b> : <Link href={`/timing/triggers/${id}`}>{title}</Link>}
      <span
        role="slider"
        tabIndex={0}
        aria-label={`Start of ${title}`}
        aria-valuenow={minutes}
        aria-valuemin={-1440}
        aria-valuemax={1440}
        aria-valuetext={`${words}, was ${from}`}
        onKeyDown={onKeyDown}
      >
        {words}
      </span>
    </div>
  )
}
