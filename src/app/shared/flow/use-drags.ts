'use client'
import { useRef, useState, type DragEvent, type PointerEvent } from 'react'
import type { Point } from './picture-link'
import { LEAST_DIVIDED } from './scale'

/** What is dragged into a picture is of this type: the key of a job or flow, as who takes it understands. */
export const WORK_TYPE = 'application/x-bugle-work'
/** The same for a condition that a step shall have at its head. */
export const GATE_TYPE = 'application/x-bugle-gate'

/** At which side of a step something is dropped. */
export interface DropPlace {
  readonly index: number
  readonly side: 'before' | 'beside' | 'after'
}
/** What a drag from step to step makes: a link; with Shift the route of the first one’s failure; with Ctrl (⌘) they belong together. */
export type Tie = 'link' | 'route' | 'group'
/** A line drawn from a step to another, or (null) to none yet. */
export interface TieDrag {
  readonly from: number
  readonly at: Point
  readonly onto: number | null
  /** Nothing at all is under the pointer. */
  readonly isFree: boolean
  readonly tie: Tie
}
export interface Drop {
  readonly at: Point
  readonly place: DropPlace | null
  readonly isGate: boolean
}
export interface Taking {
  /** One step was dragged onto another; with Ctrl, `null`: to where nothing is. */
  readonly onTie?: ((from: number, to: number | null, tie: Tie) => void) | undefined
  /** Work (WORK_TYPE) was dropped at a step, or (null) beside all. */
  readonly onDropWork?: ((work: string, place: DropPlace | null) => void) | undefined
  /** A gate (GATE_TYPE) was dropped on a step. */
  readonly onDropGate?: ((gate: string, index: number) => void) | undefined
}

/**
 * What can be done by dragging in a picture: a line from step to step, and work or a gate dropped from elsewhere. Give the handlers to its svg.
 * `stepOf`: the step of this flow that stands for one in the picture, for such a tie; null: none does.
 */
export function useDrags(
  stepOf: (index: number, tie: Tie) => number | null,
  { onTie, onDropWork, onDropGate }: Taking,
): {
  readonly line: TieDrag | null
  readonly drop: Drop | null
  readonly handlers: Record<string, (event: never) => void>
} {
  // Not drawn, so that a press that is no drag draws nothing anew.
  const pressed = useRef<number | null>(null)
  const [line, setLine] = useState<TieDrag | null>(null)
  const [drop, setDrop] = useState<Drop | null>(null)
  const end = (): void => {
    pressed.current = null
    setLine(null)
  }
  const under = (event: PointerEvent | DragEvent): Element | null =>
    document.elementFromPoint(event.clientX, event.clientY)?.closest('.step') ?? null
  const stepAt = (event: PointerEvent | DragEvent, tie: Tie): { index: number; bar: DOMRect } | null => {
    const step = under(event)
    const bar = step?.querySelector('rect')?.getBoundingClientRect()
    const index = step ? stepOf(Number(step.id.replace('step-', '')), tie) : null
    return bar && index !== null ? { index, bar } : null
  }
  const lineTo = (event: PointerEvent<SVGSVGElement>, start: number): TieDrag => {
    const tie = event.ctrlKey || event.metaKey ? 'group' : event.shiftKey ? 'route' : 'link'
    const onto = stepAt(event, tie)?.index ?? null
    return { from: start, at: pointIn(event), onto: onto === start ? null : onto, isFree: under(event) === null, tie }
  }
  const placeAt = (event: DragEvent): DropPlace | null => {
    const step = stepAt(event, 'link')
    if (!step) return null
    const { left, width } = step.bar
    const share = (event.clientX - left) / width
    const side = width < LEAST_DIVIDED || share > 2 / 3 ? 'after' : share < 1 / 3 ? 'before' : 'beside'
    return { index: step.index, side }
  }
  return {
    line,
    drop,
    handlers: {
      onPointerDown: (event: PointerEvent) => {
        if (onTie) pressed.current = stepAt(event, 'link')?.index ?? null
      },
      onPointerMove: (event: PointerEvent<SVGSVGElement>) => {
        if (pressed.current !== null) setLine(lineTo(event, pressed.current))
      },
      onPointerLeave: end,
      onPointerUp: (event: PointerEvent<SVGSVGElement>) => {
        const last = line && lineTo(event, line.from)
        if (last && (last.onto !== null || (last.tie === 'group' && last.isFree)))
          onTie?.(last.from, last.onto, last.tie)
        end()
      },
      onDragOver: (event: DragEvent<SVGSVGElement>) => {
        const isGate = event.dataTransfer.types.includes(GATE_TYPE)
        if (isGate ? !onDropGate : !onDropWork || !event.dataTransfer.types.includes(WORK_TYPE)) return
        event.preventDefault()
        setDrop({ at: pointIn(event), place: placeAt(event), isGate })
      },
      onDragLeave: () => setDrop(null),
      onDrop: (event: DragEvent) => {
        const [work, gate] = [WORK_TYPE, GATE_TYPE].map((type) => event.dataTransfer.getData(type))
        const place = placeAt(event)
        if (gate && place) onDropGate?.(gate, place.index)
        if (work) onDropWork?.(work, place)
        if (gate || work) event.preventDefault()
        setDrop(null)
      },
    },
  }
}

function pointIn(event: PointerEvent<SVGSVGElement> | DragEvent<SVGSVGElement>): Point {
  const box = event.currentTarget.getBoundingClientRect()
  return { x: event.clientX - box.left, y: event.clientY - box.top }
}
