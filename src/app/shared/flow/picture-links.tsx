'use client'
import type { ReactNode } from 'react'
import type { DrawnStep } from '@/core/flow/times'
import type { BarLook } from './picture-bar'
import { linkPath, type Point } from './picture-link'

/** Where lines from a step begin, and where those to it arrive. */
export interface Ends {
  readonly from: Point
  readonly to: Point
}

/** Links as lines, routes of failures dashed. */
export function PictureLinks({
  steps,
  isDrawn,
  isNear,
  ends,
  lookOf,
}: {
  steps: readonly DrawnStep[]
  /** It has a place in the picture, also out of sight. */
  isDrawn: (index: number) => boolean
  isNear: (index: number) => boolean
  ends: (index: number) => Ends
  lookOf: (index: number) => BarLook
}): ReactNode {
  const between = (from: number, to: number): string => linkPath(ends(from).from, ends(to).to)
  return (
    <>
      {steps
        .filter(({ index }) => isNear(index))
        .flatMap(({ index, links }) =>
          links
            .filter(({ from }) => isDrawn(from))
            .map(({ from }) => (
              <path
                key={`${from}-${index}`}
                d={between(from, index)}
                fill="none"
                stroke={lookOf(index).state === 'skipped' ? 'var(--line-strong)' : 'var(--faint)'}
                strokeWidth={1.3}
              />
            )),
        )}
      {steps
        .filter(
          ({ index, routeTo }) =>
            routeTo >= 0 && isDrawn(index) && isDrawn(routeTo) && (isNear(index) || isNear(routeTo)),
        )
        .map(({ index, routeTo }) => (
          <path
            key={`route-${index}`}
            d={between(index, routeTo)}
            fill="none"
            stroke={lookOf(index).state === 'failed' ? 'var(--failed)' : 'var(--faint)'}
            strokeDasharray="4 3"
            strokeWidth={1.3}
          />
        ))}
    </>
  )
}
