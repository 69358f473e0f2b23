'use client'
import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import { childrenOf, rowsOf, type DrawnStep, type Span } from '@/core/flow/times'
import { useWidth } from '@/ui/hooks/width'
import { Bar, type BarLook } from './picture-bar'
import { linkPath } from './picture-link'
import { Overview } from './picture-overview'
import { PictureTools, ZOOMS } from './picture-tools'
import { saveSvg } from './save-svg'
import { ticksOf } from './ticks'
import { travel } from './travel'

const Frame = styled.div`
  display: flex;
  flex-direction: column;
  flex: none;
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
/** Room for the titles of the last steps. */
const RIGHT = 220
const AXIS = 24
const ROW = 28
export const BAR = 20
/** Narrower bars are drawn this wide, pixels. */
const LEAST = 5

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
  /** How high it may become; it is as high as its rows. CSS length. */
  readonly maxHeight: string
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
  const measure = useRef<ResizeObserver | null>(null)
  const [drag, setDrag] = useState<{ from: number; at: { x: number; y: number }; moved: boolean } | null>(null)
  const [view, setView] = useState({ top: 0, left: 0, height: 600 })

  // A picture of many steps begins with its flow steps folded.
  const isOpen = (index: number): boolean =>
    closed ? !closed.has(index) : steps.length <= 80 || (children.get(index)?.length ?? 0) === 0
  const last = Math.max(begins.at + 1000, nowAt ?? 0, ...times.map((time) => time.end))
  const fit = (width - LEFT - RIGHT) / (last - begins.at)
  const scale = fit * (ZOOMS[zoom] ?? 1)
  const x = (at: number): number => LEFT + (at - begins.at) * scale
  const wide = Math.round(width / 50) * 50
  // Lanes stay while a run goes on: they depend on how long steps usually take, not on how far they have come.
  const { places, rows } = useMemo(() => {
    const usualFit = (wide - LEFT - RIGHT) / Math.max(1, ...usual.map((time) => time.end - begins.at))
    return rowsOf(steps, isOpen, (from, to) => {
      const [before, after] = [usual[from] as Span, usual[to] as Span]
      const bar = Math.max(LEAST, (before.end - before.start) * usualFit)
      const need = lookOf(from).title.length * 6.6 + 16
      return bar >= need || bar + (after.start - before.end) * usualFit >= need + 10
    })
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [steps, closed, wide])
  const y = (index: number): number => AXIS + 8 + (places.get(index)?.row ?? 0) * ROW
  const total = { width: Math.max(width, x(last) + RIGHT), height: AXIS + 14 + rows * ROW }
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

  const flowSteps = steps.filter(({ isFlow, index }) => isFlow && (children.get(index)?.length ?? 0) > 0)
  const reveal = (index: number): void => {
    const at = scroll.current
    if (!at) return
    const [top, left] = [y(index), x((times[index] as Span).start)]
    if (top < at.scrollTop + AXIS || top + ROW > at.scrollTop + at.clientHeight)
      at.scrollTop = top - at.clientHeight / 2
    if (left < at.scrollLeft || left > at.scrollLeft + at.clientWidth - 60) at.scrollLeft = left - 100
  }
  // The chosen step is in sight, also where it was chosen elsewhere or its flow was folded.
  useEffect(() => {
    if (chosen === null) return
    if (places.has(chosen)) reveal(chosen)
    // Not while the run goes on: who has scrolled away stays there.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [chosen, places])
  const find = (text: string): string => {
    const wanted = text.trim().toLowerCase()
    if (wanted === '') return ''
    const hits = steps
      .filter(({ index }) => lookOf(index).title.toLowerCase().includes(wanted))
      .map(({ index }) => index)
    const at = hits.find((index) => chosen !== null && index > chosen) ?? hits[0]
    if (at === undefined) return 'no step'
    const around = new Set<number>()
    for (let up = steps[at]?.parent ?? -1; up >= 0; up = steps[up]?.parent ?? -1) around.add(up)
    if ([...around].some((index) => !isOpen(index)))
      setClosed(
        new Set(flowSteps.filter(({ index }) => !isOpen(index) && !around.has(index)).map(({ index }) => index)),
      )
    onChoose(at)
    return `${hits.indexOf(at) + 1} of ${hits.length}`
  }
  // The next key may come before what the last one chose has come back from the address.
  const latest = useRef(chosen)
  useEffect(() => {
    latest.current = chosen
  }, [chosen])
  const onKeyDown = (event: KeyboardEvent): void => {
    const at = latest.current
    const to = travel(event.key, at, steps, places, times)
    if (event.key === 'Enter' && at !== null) props.onOpen?.(at)
    else if ((event.key === '+' || event.key === '=') && !event.ctrlKey)
      setZoom((z) => Math.min(z + 1, ZOOMS.length - 1))
    else if (event.key === '-' && !event.ctrlKey) setZoom((z) => Math.max(0, z - 1))
    else if (to !== null) {
      latest.current = to
      onChoose(to)
    } else return
    event.preventDefault()
  }
  const fold = (index: number): void => {
    const now = new Set(flowSteps.filter((step) => !isOpen(step.index)).map((step) => step.index))
    if (now.has(index)) now.delete(index)
    else now.add(index)
    setClosed(now)
  }

  return (
    <Frame style={{ maxHeight: props.maxHeight, height: total.height + 42 }}>
      <PictureTools
        tools={props.tools}
        zoom={zoom}
        onZoom={setZoom}
        hasFlows={flowSteps.length > 0}
        isFolded={flowSteps.some((step) => !isOpen(step.index))}
        onFold={(isFolded) => setClosed(new Set(isFolded ? flowSteps.map(({ index }) => index) : []))}
        onFind={find}
        onSave={() => svg.current && saveSvg(svg.current, props.label)}
      />
      {(zoom > 0 || total.height > view.height + AXIS) && rows > 1 && (
        <Overview
          bars={[...places].map(([index, { row }]) => ({
            index,
            from: (times[index] as Span).start,
            to: (times[index] as Span).end,
            row,
            state: lookOf(index).state,
          }))}
          rows={rows}
          begins={begins.at}
          last={last}
          seen={{
            left: view.left / total.width,
            width: Math.min(1, width / total.width),
            top: view.top / total.height,
            height: Math.min(1, view.height / total.height),
          }}
          onGo={(left, top) =>
            scroll.current?.scrollTo(left * total.width - width / 2, top * total.height - view.height / 2)
          }
        />
      )}
      <Scroll
        ref={(element) => {
          scroll.current = element
          box(element)
          measure.current?.disconnect()
          if (!element) return
          measure.current = new ResizeObserver(() => setView((v) => ({ ...v, height: element.clientHeight })))
          measure.current.observe(element)
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
              onChoose={() => onChoose(index)}
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
