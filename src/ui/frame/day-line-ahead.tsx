'use client'
import type { ReactNode } from 'react'
import { clock, exact } from '../format'

export interface AheadData {
  readonly from: string
  readonly bucketSeconds: number
  readonly starts: number[]
  readonly load: number[]
  readonly deadlines: { triggerId: number; title: string; dueAt: string }[]
}

/** Where the bars stand, and where the line of what there is lies, px from the top. */
export const BASE = 66
export const TOP = 24

/** A character of a label is about this wide, px. */
const CHARACTER = 6

/** Slots that the coming starts will use, a bar for each quarter of an hour, and deadlines: those with room for it by name. */
export function Ahead({
  data,
  capacity,
  nowMs,
  x,
  zone,
  width,
}: {
  data: AheadData | undefined
  capacity: number
  nowMs: number
  x: (ms: number) => number
  zone: string
  width: number
}): ReactNode {
  if (!data) return null
  const from = new Date(data.from).getTime()
  const deadlines = withLabels(
    data.deadlines
      .filter(({ dueAt }) => new Date(dueAt).getTime() > nowMs)
      .map(({ triggerId, title, dueAt }) => ({
        triggerId,
        title,
        dueAt,
        at: x(new Date(dueAt).getTime()),
        label: `${title.length > 22 ? `${title.slice(0, 21)}…` : title} ${clock(dueAt, zone)}`,
      })),
    x(nowMs) + 24,
    width,
  )
  return (
    <>
      {data.load.map((slots, i) => {
        const begins = from + i * data.bucketSeconds * 1000
        const ends = begins + data.bucketSeconds * 1000
        const n = data.starts[i] ?? 0
        if ((slots === 0 && n === 0) || ends <= nowMs) return null
        const left = Math.max(x(nowMs) + 1, x(begins))
        // More than there are slots waits: the bar goes a little over the line.
        const height = Math.max(2, Math.min(1.15, slots / capacity) * (BASE - TOP))
        return (
          <rect
            key={begins}
            x={left}
            width={Math.max(1, x(ends) - left - 1)}
            y={BASE - height}
            height={height}
            fill={slots > capacity ? 'var(--brass)' : '#3f6168'}
          >
            <title>{`${clock(begins, zone)} to ${clock(ends, zone)}: ${slots.toFixed(1)} of ${capacity} slots, ${n === 1 ? 'one start' : `${n} starts`}`}</title>
          </rect>
        )
      })}
      {deadlines.map(({ triggerId, title, dueAt, at, left, label, side }) => (
        <a
          key={`${triggerId} ${dueAt}`}
          href={`/timing/triggers/${triggerId}`}
          aria-label={`${title}: finish by ${clock(dueAt, zone)}`}
        >
          <line x1={at} x2={at} y1="12" y2={BASE} stroke="#8fa5a8" strokeDasharray="1 2" />
          <path d={`M${left} 5h8l-2.2 3.5L${left + 8} 12H${left}z`} fill="#b9c6c6" />
          {side && (
            <text x={side === 'right' ? left + 11 : left - 5} y="13" textAnchor={side === 'right' ? 'start' : 'end'}>
              {label}
            </text>
          )}
          <rect x={left - 1} y="0" width="10" height={BASE} fill="transparent">
            <title>{`${title}: finish by ${exact(dueAt, zone)}`}</title>
          </rect>
        </a>
      ))}
    </>
  )
}

interface Pennant {
  readonly at: number
  readonly label: string
}

/** A flag is this wide, px: flags of the same time stand beside each other. */
const FLAG = 10

/** Where each flag stands, and on which side there is room for its name, if on any; pennants come from left to right. */
export function withLabels<P extends Pennant>(
  pennants: readonly P[],
  from: number,
  to: number,
): (P & { left: number; side: 'left' | 'right' | null })[] {
  let end = -Infinity
  const flags = pennants.map((pennant) => {
    const left = Math.max(pennant.at, end)
    end = left + FLAG
    return { ...pennant, left }
  })
  let taken = from
  return flags.map((pennant, i) => {
    const { left, label } = pennant
    const needed = label.length * CHARACTER + 12
    const next = flags[i + 1]?.left ?? to
    const side = left + needed < Math.min(next, to) ? 'right' : left - needed > taken ? 'left' : null
    taken = Math.max(taken, side === 'right' ? left + needed : left + FLAG)
    return { ...pennant, side }
  })
}
