'use client'
import { Minus, Plus } from 'lucide-react'
import { useMemo, useRef, useState, type KeyboardEvent, type PointerEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import { childrenOf, rowsOf, type DrawnStep, type Span } from '@/core/flow/times'
import { Button } from '@/ui/parts/button'
import { Row, Small, Spring } from '@/ui/parts/layout'
import { useWidth } from '@/ui/hooks/width'
import { Bar, type BarLook } from './picture-bar'
import { linkPath } from './picture-link'
import { saveSvg } from './save-svg'
import { ticksOf } from './ticks'

const Frame = styled.div`
  display: flex;
  flex-direction: column;
  min-height: 0;
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
`
const Scroll = styled.div`
  overflow: auto;
  min-height: 0;
  flex: 1;
  position: relative;
  &:focus-visible {
    outline-offset: -2px;
  }
  text {
    font:
      12px 'Archivo Variable',
      sans-serif;
    fill: var(--ink);
  }
  text.small {
    font-size: 11px;
    fill: var(--mute);
  }
  .step {
    cursor: pointer;
  }
`
const LEFT = 16
const AXIS = 24
export const ROW = 42
export const BAR = 28
/** Narrower bars are drawn this wide, pixels. */
const LEAST = 5
const ZOOMS = [1, 1.5, 2, 3, 5, 8, 12, 20, 40]

export interface FlowPictureProps {
  readonly label: string
  readonly steps: readonly DrawnStep[]
  readonly times: readonly Span[]
  /** When steps are if all take as long as usual, where that is not `times`: the lanes follow it. */
  readonly usual?: readonly Span[]
  readonly lookOf: (index: number) => BarLook
  /** Steps that decide the finish: underlined in brass. */
  readonly decides: ReadonlySet<number>
  readonly chosen: number | null
  readonly onChoose: (index: number) => void
  /** Milliseconds; where the axis begins, and how its first label reads. */
  readonly begins: { readonly at: number; readonly text: string }
  readonly nowAt?: number | null
  readonly height?: number | string
  readonly tools?: ReactNode
  /** A double click or Enter on the chosen step. */
  readonly onOpen?: (index: number) => void
  /** One step was dragged onto another. */
  readonly onLink?: (from: number, to: number) => void
}

/** A flow on a time scale: a step is as long as it takes, lanes are chains, a failure route is dashed, a gate a diamond. */
export function FlowPicture(props: FlowPictureProps): ReactNode {
  const { steps, times, usual = times, lookOf, decides, chosen, onChoose, begins, nowAt = null } = props
  const [width, box] = useWidth(1200)
  const [zoom, setZoom] = useState(0)
  const children = useMemo(() => childrenOf(steps), [steps])
  const [closed, setClosed] = useState<ReadonlySet<number> | null>(null)
  const scroll = useRef<HTMLDivElement | null>(null)
  const svg = useRef<SVGSVGElement | null>(null)
  const [drag, setDrag] = useState<{ from: number; at: { x: number; y: number }; moved: boolean } | null>(null)
  const [view, setView] = useState({ top: 0, left: 0, height: 600 })

  // A picture of many steps begins with its flow steps folded.
  const isOpen = (index: number): boolean =>
    closed ? !closed.has(index) : steps.length <= 80 || (children.get(index)?.length ?? 0) === 0
  const last = Math.max(begins.at + 1000, nowAt ?? 0, ...times.map((time) => time.end))
  const fit = (width - LEFT - 150) / (last - begins.at)
  const scale = fit * (ZOOMS[zoom] ?? 1)
  const x = (at: number): number => LEFT + (at - begins.at) * scale
  const wide = Math.round(width / 50) * 50
  // Lanes stay while a run goes on: they depend on how long steps usually take, not on how far they have come.
  const { places, rows } = useMemo(() => {
    const usualFit = (wide - LEFT - 150) / Math.max(1, ...usual.map((time) => time.end - begins.at))
    return rowsOf(steps, isOpen, (from, to) => {
      const [before, after] = [usual[from] as Span, usual[to] as Span]
      const bar = Math.max(LEAST, (before.end - before.start) * usualFit)
      const need = lookOf(from).title.length * 6.6 + 16
      return bar >= need || bar + (after.start - before.end) * usualFit >= need + 10
    })
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [steps, closed, wide])
  const y = (index: number): number => AXIS + 8 + (places.get(index)?.row ?? 0) * ROW
  const total = { width: Math.max(width, x(last) + 150), height: AXIS + 14 + rows * ROW }
  const isNear = (index: number): boolean => {
    const place = places.get(index)
    if (!place) return false
    const top = y(index)
    const { start, end } = times[index] as Span
    return (
      top + place.rows * ROW > view.top - 200 &&
      top < view.top + view.height + 200 &&
      x(end) > view.left - 400 &&
      x(start) < view.left + width + 400
    )
  }
  const shown = steps.filter(({ index }) => isNear(index))
  const lanes = new Map<number, number[]>()
  for (const [index, { row }] of places) lanes.set(row, [...(lanes.get(row) ?? []), index])
  /** Pixels until the next bar of the same row begins. */
  const roomAfter = (index: number): number => {
    const from = (times[index] as Span).start
    const later = (lanes.get(places.get(index)?.row ?? 0) ?? []).filter(
      (other) => other !== index && (times[other] as Span).start >= from,
    )
    const next = Math.min(...later.map((other) => (times[other] as Span).start), Infinity)
    return (next === Infinity ? total.width : x(next)) - Math.max(x((times[index] as Span).end), x(from) + LEAST)
  }

  const choose = (index: number): void => {
    onChoose(index)
    const at = scroll.current
    if (!at) return
    const [top, left] = [y(index), x((times[index] as Span).start)]
    if (top < at.scrollTop + AXIS || top + ROW > at.scrollTop + at.clientHeight)
      at.scrollTop = top - at.clientHeight / 2
    if (left < at.scrollLeft || left > at.scrollLeft + at.clientWidth - 60) at.scrollLeft = left - 100
  }
  const onKeyDown = (event: KeyboardEvent): void => {
    const to = travel(event.key, chosen, steps, places, times)
    if (event.key === 'Enter' && chosen !== null) props.onOpen?.(chosen)
    else if ((event.key === '+' || event.key === '=') && !event.ctrlKey)
      setZoom((z) => Math.min(z + 1, ZOOMS.length - 1))
    else if (event.key === '-' && !event.ctrlKey) setZoom((z) => Math.max(0, z - 1))
    else if (to !== null) choose(to)
    else return
    event.preventDefault()
  }
  const flowSteps = steps.filter(({ isFlow, index }) => isFlow && (children.get(index)?.length ?? 0) > 0)
  const fold = (index: number): void => {
    const now = new Set(flowSteps.filter((step) => !isOpen(step.index)).map((step) => step.index))
    if (now.has(index)) now.delete(index)
    else now.add(index)
    setClosed(now)
  }

  return (
    <Frame style={props.height === undefined ? {} : { height: props.height }}>
      <Row style={{ padding: '4px 8px 0 14px' }} data-noprint>
        {props.tools}
        <Spring />
        {flowSteps.length > 0 && (
          <Button
            kind="quiet"
            onPress={() =>
              setClosed(
                flowSteps.some((step) => !isOpen(step.index))
                  ? new Set()
                  : new Set(flowSteps.map((step) => step.index)),
              )
            }
          >
            {flowSteps.some((step) => !isOpen(step.index)) ? 'Unfold all' : 'Fold flows'}
          </Button>
        )}
        <Button
          kind="quiet"
          aria-label="Zoom out"
          onPress={() => setZoom((z) => Math.max(0, z - 1))}
          isDisabled={zoom === 0}
        >
          <Minus size={14} aria-hidden="true" />
        </Button>
        <Small aria-live="polite">{zoom === 0 ? 'the whole' : `× ${ZOOMS[zoom]}`}</Small>
        <Button
          kind="quiet"
          aria-label="Zoom in"
          onPress={() => setZoom((z) => Math.min(z + 1, ZOOMS.length - 1))}
          isDisabled={zoom === ZOOMS.length - 1}
        >
          <Plus size={14} aria-hidden="true" />
        </Button>
        <Button kind="quiet" onPress={() => svg.current && saveSvg(svg.current, props.label)}>
          Save picture
        </Button>
      </Row>
      <Scroll
        ref={(element) => {
          scroll.current = element
          box(element)
        }}
        tabIndex={0}
        role="application"
        aria-label={`${props.label}. Arrow keys go from step to step, along links and between lanes.`}
        aria-activedescendant={chosen === null ? undefined : `step-${chosen}`}
        onKeyDown={onKeyDown}
        onScroll={({ currentTarget: at }) =>
          setView({ top: at.scrollTop, left: at.scrollLeft, height: at.clientHeight })
        }
      >
        <svg
          ref={svg}
          onPointerDown={(event) => {
            const from = stepAt(event)
            if (props.onLink && from !== null) setDrag({ from, at: pointIn(event), moved: false })
          }}
          onPointerMove={(event) => drag && setDrag({ ...drag, at: pointIn(event), moved: true })}
          onPointerLeave={() => setDrag(null)}
          onPointerUp={(event) => {
            const to = stepAt(event)
            if (drag?.moved && to !== null && to !== drag.from) props.onLink?.(drag.from, to)
            setDrag(null)
          }}
          width={total.width}
          height={total.height}
          role="presentation"
        >
          {ticksOf(begins.at, last, (total.width - LEFT) / 110).map(({ at, text }, i) => (
            <g key={at}>
              <line x1={x(at)} x2={x(at)} y1={AXIS - 4} y2={total.height} stroke="var(--line)" />
              <text className="small" x={x(at)} y={AXIS - 9} textAnchor={i === 0 ? 'start' : 'middle'}>
                {i === 0 ? begins.text : text}
              </text>
            </g>
          ))}
          {shown.flatMap(({ index, isFlow }) => {
            const place = places.get(index)
            if (!isFlow || !place || place.rows === 1) return []
            const { start, end } = times[index] as Span
            return [
              <rect
                key={`frame-${index}`}
                x={x(start) - 4}
                y={y(index) - 4}
                width={x(end) - x(start) + 8}
                height={place.rows * ROW}
                fill="none"
                stroke="var(--line-strong)"
                rx={3}
              />,
            ]
          })}
          {shown.flatMap((step) =>
            step.links
              .filter(({ from }) => places.has(from))
              .map(({ from }) => (
                <path
                  key={`${from}-${step.index}`}
                  d={linkPath(
                    {
                      x: Math.max(x((times[from] as Span).end), x((times[from] as Span).start) + LEAST),
                      y: y(from) + BAR / 2,
                    },
                    { x: x((times[step.index] as Span).start), y: y(step.index) + BAR / 2 },
                  )}
                  fill="none"
                  stroke={lookOf(step.index).state === 'skipped' ? 'var(--line-strong)' : 'var(--faint)'}
                  strokeWidth={1.3}
                />
              )),
          )}
          {steps
            .filter(
              ({ index, routeTo }) =>
                routeTo >= 0 && places.has(index) && places.has(routeTo) && (isNear(index) || isNear(routeTo)),
            )
            .map(({ index, routeTo }) => (
              <path
                key={`route-${index}`}
                d={linkPath(
                  {
                    x: Math.max(x((times[index] as Span).end), x((times[index] as Span).start) + LEAST),
                    y: y(index) + BAR / 2,
                  },
                  { x: x((times[routeTo] as Span).start), y: y(routeTo) + BAR / 2 },
                )}
                fill="none"
                stroke={lookOf(index).state === 'failed' ? 'var(--failed)' : 'var(--faint)'}
                strokeDasharray="4 3"
                strokeWidth={1.3}
              />
            ))}
          {shown.map(({ index, isFlow }) => (
            <Bar
              key={index}
              id={`step-${index}`}
              look={lookOf(index)}
              x={x((times[index] as Span).start)}
              y={y(index)}
              width={Math.max(LEAST, x((times[index] as Span).end) - x((times[index] as Span).start))}
              room={roomAfter(index)}
              isChosen={index === chosen}
              decides={decides.has(index)}
              folded={isFlow && (children.get(index)?.length ?? 0) > 0 ? !isOpen(index) : null}
              onFold={() => fold(index)}
              onChoose={() => choose(index)}
              onOpen={() => props.onOpen?.(index)}
            />
          ))}
          {drag?.moved && (
            <path
              d={linkPath({ x: x((times[drag.from] as Span).end), y: y(drag.from) + BAR / 2 }, drag.at)}
              fill="none"
              stroke="var(--brass)"
              strokeWidth={2}
              pointerEvents="none"
            />
          )}
          {nowAt !== null && (
            <line x1={x(nowAt)} x2={x(nowAt)} y1={AXIS - 4} y2={total.height} stroke="var(--brass)" strokeWidth={2} />
          )}
        </svg>
      </Scroll>
    </Frame>
  )
}

/** The step under the pointer. */
function stepAt(event: PointerEvent): number | null {
  const under = document.elementFromPoint(event.clientX, event.clientY)?.closest('.step')
  return under ? Number(under.id.replace('step-', '')) : null
}

function pointIn(event: PointerEvent<SVGSVGElement>): { x: number; y: number } {
  const box = event.currentTarget.getBoundingClientRect()
  return { x: event.clientX - box.left, y: event.clientY - box.top }
}

/** Where an arrow key leads: along links to the left and right, to the nearest step of the row above or below. */
function travel(
  key: string,
  chosen: number | null,
  steps: readonly DrawnStep[],
  places: ReadonlyMap<number, { readonly row: number }>,
  times: readonly Span[],
): number | null {
  const visible = steps.filter(({ index }) => places.has(index))
  if (!['ArrowLeft', 'ArrowRight', 'ArrowUp', 'ArrowDown', 'Home', 'End'].includes(key)) return null
  const first = visible[0]?.index ?? null
  if (chosen === null || !places.has(chosen) || key === 'Home') return first
  if (key === 'End') return visible.at(-1)?.index ?? null
  const step = steps[chosen] as DrawnStep
  if (key === 'ArrowLeft')
    return (
      step.links.map(({ from }) => from).find((from) => places.has(from)) ?? (step.parent >= 0 ? step.parent : chosen)
    )
  if (key === 'ArrowRight') {
    const later = visible.filter(({ links }) => links.some(({ from }) => from === chosen)).map(({ index }) => index)
    const inner = visible.find(({ parent }) => parent === chosen)?.index
    return later[0] ?? inner ?? (step.routeTo >= 0 && places.has(step.routeTo) ? step.routeTo : chosen)
  }
  const row = (places.get(chosen) as { row: number }).row
  const rows = [...new Set([...places.values()].map((place) => place.row))].sort((a, b) => a - b)
  const target = rows[rows.indexOf(row) + (key === 'ArrowUp' ? -1 : 1)]
  if (target === undefined) return chosen
  const at = (times[chosen] as Span).start
  return (
    visible
      .filter(({ index }) => places.get(index)?.row === target)
      .sort((a, b) => Math.abs((times[a.index] as Span).start - at) - Math.abs((times[b.index] as Span).start - at))[0]
      ?.index ?? chosen
  )
}
