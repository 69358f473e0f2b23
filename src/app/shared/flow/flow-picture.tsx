'use client'
import { useEffect, useRef, useState, type KeyboardEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import type { DrawnGroup } from '@/core/flow/fold'
import type { DrawnStep, Span } from '@/core/flow/times'
import { Bar, type BarLook } from './picture-bar'
import { DragMarks } from './picture-drags'
import { PictureLinks } from './picture-links'
import { Overview } from './picture-overview'
import { PictureTools } from './picture-tools'
import { saveSvg } from './save-svg'
import { AXIS, LEAST, LEFT, ROW } from './scale'
import { ticksOf } from './ticks'
import { travel } from './travel'
import { useDrags, type Taking } from './use-drags'
import { useFolds } from './use-folds'
import { useGeometry } from './use-geometry'
import { useOpenFlows } from './use-open-flows'
import { useView } from './use-view'

/** So little out of sight is found by scrolling; an overview would take more room than it saves. */
const ROWS_UNSEEN = 2

const Frame = styled.div`
  display: flex;
  flex-direction: column;
  flex: none;
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
  /* On paper it is whole, as wide as the sheet. */
  @media print {
    height: auto !important;
    max-height: none !important;
    border: 0;
  }
`
const Scroll = styled.div`
  overflow: auto;
  min-height: 0;
  flex: 1;
  position: relative;
  /* Nothing outside moves it, nor it anything outside: the browser lays it out by itself. */
  contain: layout paint;
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
  svg {
    /* What is dragged is a step, not the words on it. */
    user-select: none;
  }
  .step {
    cursor: pointer;
  }
  @media print {
    overflow: visible;
    contain: none;
    svg {
      width: 100%;
      height: auto;
    }
  }
`
export interface FlowPictureProps extends Taking {
  readonly label: string
  readonly steps: readonly DrawnStep[]
  readonly times: readonly Span[]
  /** When steps are if all take as long as usual, where that is not `times`: the lanes follow it. */
  readonly usual?: readonly Span[]
  readonly lookOf: (index: number) => BarLook
  /** Steps that decide the finish: underlined in brass. */
  readonly decides: ReadonlySet<number>
  readonly chosen: number | null
  /** What is chosen at this moment: it may not have come back as `chosen` yet, and something older may. */
  readonly chosenNow: () => number | null
  readonly onChoose: (index: number) => void
  /** Milliseconds; where the axis begins, and how its first label reads. */
  readonly begins: { readonly at: number; readonly text: string }
  readonly nowAt?: number | null
  /** How high it may become; it is as high as its rows. CSS length. */
  readonly maxHeight: string
  readonly tools?: ReactNode
  /** Why there are no steps to be seen, where there are none. */
  readonly instead?: string | undefined
  /** A double click or Enter on the chosen step. */
  readonly onOpen?: (index: number) => void
  /** Steps that belong together: each group can be folded into one bar. */
  readonly groups?: readonly DrawnGroup[]
}

/** The flow steps that a step lies in, the innermost first. */
function around(steps: readonly DrawnStep[], index: number): number[] {
  const outer: number[] = []
  for (let up = steps[index]?.parent ?? -1; up >= 0; up = steps[up]?.parent ?? -1) outer.push(up)
  return outer
}

/** A flow on a time scale: a step is as long as it takes, lanes are chains, a failure route is dashed, a gate a diamond. */
export function FlowPicture(props: FlowPictureProps): ReactNode {
  const { begins, nowAt = null, groups = [] } = props
  const { steps, times, usual, lookOf, decides, folded, toggle, setAll, groupAt, unfoldAround } = useFolds(props)
  // A folded group can be chosen in the picture, but is nothing to anybody else.
  const [chosenGroup, setChosenGroup] = useState<number | null>(null)
  const group = chosenGroup !== null && groupAt(chosenGroup) ? chosenGroup : null
  const chosen = group ?? props.chosen
  const onChoose = (index: number): void => {
    const isGroup = groupAt(index) !== undefined
    setChosenGroup(isGroup ? index : null)
    if (!isGroup) props.onChoose(index)
  }
  const { view, moveTo, ref, onScroll, zoomBy } = useView()
  const { width, zoom } = view
  const flows = useOpenFlows(steps, (index) => groupAt(index) !== undefined)
  const { x, y, ends, places, rows, total, last, isNear, roomAfter } = useGeometry(
    { steps, times, usual, lookOf },
    flows,
    begins.at,
    nowAt,
    view,
  )
  const spanOf = (index: number): Span => times[index] as Span
  const svg = useRef<SVGSVGElement | null>(null)
  // A step within a flow step cannot be changed here: the flow step stands for it. A folded group is no step, but whoever is with any of its steps is in it.
  const { line, drop, handlers } = useDrags((index, tie) => {
    const outer = around(steps, index).at(-1) ?? index
    const folded = groupAt(outer)
    return folded ? (tie === 'group' ? (folded.members[0] ?? null) : null) : outer
  }, props)
  const shown = steps.filter(({ index }) => isNear(index))
  const reveal = (index: number): void => {
    const [top, left] = [y(index), x(spanOf(index).start)]
    const isAbove = top < view.top + AXIS || top + ROW > view.top + view.height
    const isBeside = left < view.left || left > view.left + width - 60
    if (isAbove || isBeside) moveTo(isBeside ? left - 100 : view.left, isAbove ? top - view.height / 2 : view.top)
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
    const outer = new Set(around(steps, at))
    unfoldAround(new Set([at, ...outer]))
    flows.open(outer)
    onChoose(at)
    return `${hits.indexOf(at) + 1} of ${hits.length}`
  }
  /** The chosen step stays where it is, if it is in sight; else the middle does. */
  const zoomAround = (by: number): void => {
    const at = chosen !== null && places.has(chosen) ? x(spanOf(chosen).start) - view.left : -1
    zoomBy(by, at >= 0 && at <= width ? at : undefined)
  }
  const onKeyDown = (event: KeyboardEvent): void => {
    const at = group ?? props.chosenNow()
    const to = travel(event.key, at, steps, places, times)
    if (event.key === 'Enter' && at !== null) open(at)
    else if ((event.key === '+' || event.key === '=') && !event.ctrlKey) zoomAround(1)
    else if (event.key === '-' && !event.ctrlKey) zoomAround(-1)
    else if (to !== null) onChoose(to)
    else return
    event.preventDefault()
  }
  const open = (index: number): void => {
    const itself = groupAt(index)
    if (itself) toggle(itself.id)
    else props.onOpen?.(index)
  }
  return (
    <Frame style={{ maxHeight: props.maxHeight, height: total.height + 42 }}>
      <PictureTools
        tools={props.tools}
        instead={props.instead}
        zoom={zoom}
        onZoom={zoomAround}
        hasFlows={flows.flowSteps.length > 0}
        isFolded={flows.flowSteps.some(({ index }) => !flows.isOpen(index))}
        onFold={flows.foldAll}
        groups={groups.map(({ id }) => ({ id, isFolded: folded.has(id) }))}
        onFoldGroup={toggle}
        onFoldGroups={setAll}
        onFind={find}
        onSave={() => svg.current && saveSvg(svg.current, props.label)}
      />
      {(zoom > 0 || total.height > view.height + AXIS + ROWS_UNSEEN * ROW) && rows > 1 && (
        <Overview
          bars={[...places].map(([index, { row }]) => ({
            index,
            from: spanOf(index).start,
            to: spanOf(index).end,
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
          onGo={(left, top) => moveTo(left * total.width - width / 2, top * total.height - view.height / 2)}
        />
      )}
      <Scroll
        ref={ref}
        tabIndex={0}
        role="application"
        aria-label={`${props.label}. Arrow keys go from step to step, along links and between lanes.`}
        aria-activedescendant={chosen === null ? undefined : `step-${chosen}`}
        onKeyDown={onKeyDown}
        onScroll={onScroll}
      >
        <svg
          ref={svg}
          {...handlers}
          width={total.width}
          height={total.height}
          viewBox={`0 0 ${total.width} ${total.height}`}
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
          <PictureLinks
            steps={steps}
            isDrawn={(index) => places.has(index)}
            isNear={isNear}
            ends={ends}
            lookOf={lookOf}
          />
          {shown.map(({ index, isFlow }) => (
            <Bar
              key={index}
              id={`step-${index}`}
              look={lookOf(index)}
              x={x(spanOf(index).start)}
              y={y(index)}
              width={Math.max(LEAST, x(spanOf(index).end) - x(spanOf(index).start))}
              room={roomAfter(index)}
              isChosen={index === chosen}
              decides={decides.has(index)}
              folded={isFlow && flows.hasInner(index) ? !flows.isOpen(index) : null}
              onFold={() => (groupAt(index) ? open(index) : flows.turn(index))}
              onChoose={() => onChoose(index)}
              onOpen={() => open(index)}
            />
          ))}
          <DragMarks line={line} drop={drop} ends={ends} titleOf={(index) => lookOf(index).title} />
          {nowAt !== null && (
            <line x1={x(nowAt)} x2={x(nowAt)} y1={AXIS - 4} y2={total.height} stroke="var(--brass)" strokeWidth={2} />
          )}
        </svg>
      </Scroll>
    </Frame>
  )
}
