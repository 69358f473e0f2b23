'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import { linkPath } from './picture-link'
import type { Ends } from './picture-links'
import { BAR } from './scale'
import type { Drop, DropPlace, TieDrag } from './use-drags'

/** Legible over bars and lines. */
const Words = styled.text`
  && {
    fill: var(--brass-ink);
    font-weight: 600;
    paint-order: stroke;
    stroke: var(--sheet);
    stroke-width: 4px;
  }
`

/** What is being dragged, and in words what would come of letting go here. */
export function DragMarks({
  line,
  drop,
  ends,
  titleOf,
}: {
  line: TieDrag | null
  drop: Drop | null
  ends: (index: number) => Ends
  titleOf: (index: number) => string
}): ReactNode {
  const words = (at: Drop['at'], text: string): ReactNode => (
    <Words x={at.x + 14} y={at.y - 8}>
      {text}
    </Words>
  )
  return (
    <g pointerEvents="none">
      {line && (
        <>
          <path
            d={linkPath(ends(line.from).from, line.at)}
            fill="none"
            stroke="var(--brass)"
            strokeWidth={2}
            strokeDasharray={DASHES[line.tie]}
          />
          {words(line.at, lineWords(line, titleOf))}
        </>
      )}
      {drop && (
        <>
          {drop.place && (
            <path
              d={sideOf(drop.isGate ? { ...drop.place, side: 'before' } : drop.place, ends)}
              stroke="var(--brass)"
              strokeWidth={3}
            />
          )}
          {words(drop.at, dropWords(drop, titleOf))}
        </>
      )}
    </g>
  )
}

const DASHES = { link: undefined, route: '5 4', group: '1 5' } as const

function lineWords({ from, onto, isFree, tie }: TieDrag, titleOf: (index: number) => string): string {
  const one = titleOf(from)
  if (onto === null)
    return tie === 'route'
      ? 'to the step that its failure leads to'
      : tie === 'link'
        ? 'to what comes after it; with Shift if it fails; with Ctrl into one group'
        : isFree
          ? `${one} in no group`
          : 'to a step that it is grouped with'
  const other = titleOf(onto)
  return {
    link: `${other} after ${one}`,
    route: `if ${one} fails, ${other}`,
    group: `${one} in one group with ${other}`,
  }[tie]
}

function dropWords({ place, isGate }: Drop, titleOf: (index: number) => string): string {
  if (isGate) return place ? `at the head of ${titleOf(place.index)}` : 'onto the step that it is for'
  return place ? `${place.side} ${titleOf(place.index)}` : 'on its own'
}

/** A line along the side of a bar: its beginning, its end, or below it. */
function sideOf({ index, side }: DropPlace, ends: (index: number) => Ends): string {
  const { from, to } = ends(index)
  const [top, bottom] = [to.y - BAR / 2 - 2, to.y + BAR / 2 + 3]
  if (side === 'beside') return `M${to.x} ${bottom}H${from.x}`
  const at = side === 'before' ? to.x - 3 : from.x + 3
  return `M${at} ${top}V${bottom}`
}
