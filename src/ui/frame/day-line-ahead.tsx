'use client'
import type { ReactNode } from 'react'
import type { DayAhead } from '@/core/forecast/ahead'
import { clock, exact } from '../format'

/** Where the bars stand, and where the line of what there is lies, px from the top. */
export const BASE = 66
export const TOP = 24

/** A character of a label is about this wide, px. */
const CHARACTER = 6

/** Colours of pennants on the deck, whatever the theme. */
const RISK = { amber: '#e8b04a', red: '#f0845f' } as const

/** The forecast: a bar for each quarter of an hour, hatched above it what is expected to wait, a band for nine samples in ten; and deadlines with their chances, those with room for it by name. */
export function Ahead({
  data,
  capacity,
  nowMs,
  x,
  zone,
  width,
}: {
  data: DayAhead | undefined
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
      .map(({ triggerId, title, dueAt, chance, risk }) => ({
        triggerId,
        title,
        dueAt,
        chance,
        risk,
        at: x(new Date(dueAt).getTime()),
        label: `${title.length > 22 ? `${title.slice(0, 21)}…` : title} ${clock(dueAt, zone)}${risk ? ` ${percent(chance)}` : ''}`,
      })),
    x(nowMs) + 24,
    width,
  )
  const high = (slots: number): number => Math.min(1.15, slots / capacity) * (BASE - TOP)
  return (
    <>
      <defs>
        <pattern id="waits" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <line x1="0" x2="0" y1="0" y2="5" stroke="#d9a132" strokeWidth="2" />
        </pattern>
      </defs>
      {data.load.map((slots, i) => {
        const begins = from + i * data.bucketSeconds * 1000
        const ends = begins + data.bucketSeconds * 1000
        const n = data.starts[i] ?? 0
        const waits = data.waiting[i] ?? 0
        const [low, most] = [data.p10[i] ?? slots, data.p90[i] ?? slots]
        if ((slots === 0 && n === 0 && waits === 0 && most === 0) || ends <= nowMs || x(begins) > width) return null
        const left = Math.max(x(nowMs) + 1, x(begins))
        const wide = Math.max(1, x(ends) - left - 1)
        const height = Math.max(slots > 0 || n > 0 ? 2 : 0, high(slots))
        const top = Math.min(BASE, BASE - height)
        return (
          <g key={begins}>
            <rect x={left} width={wide} y={top} height={height} fill="#3f6168" />
            {waits > 0.05 && (
              <rect
                x={left}
                width={wide}
                y={Math.max(2, top - Math.max(3, high(waits)))}
                height={top - Math.max(2, top - Math.max(3, high(waits)))}
                fill="url(#waits)"
              />
            )}
            {most - low > 0.05 && (
              <line
                x1={left + wide / 2}
                x2={left + wide / 2}
                y1={BASE - high(low)}
                y2={BASE - high(most)}
                stroke="#b9c6c6"
                strokeWidth="1.5"
              />
            )}
            <rect x={left} width={wide} y={TOP} height={BASE - TOP} fill="transparent">
              <title>{saysOf(clock(begins, zone), clock(ends, zone), { slots, low, most, waits, n, capacity })}</title>
            </rect>
          </g>
        )
      })}
      {deadlines.map(({ triggerId, title, dueAt, chance, risk, at, left, label, side }) => (
        <a
          key={`${triggerId} ${dueAt}`}
          href={`/timing/triggers/${triggerId}`}
          aria-label={`${title}: finish by ${clock(dueAt, zone)}, ${percent(chance)} to be in time`}
        >
          <line x1={at} x2={at} y1="12" y2={BASE} stroke="#8fa5a8" strokeDasharray="1 2" />
          <path d={`M${left} 5h8l-2.2 3.5L${left + 8} 12H${left}z`} fill={risk ? RISK[risk] : '#b9c6c6'} />
          {side && (
            <text
              x={side === 'right' ? left + 11 : left - 5}
              y="13"
              textAnchor={side === 'right' ? 'start' : 'end'}
              style={risk ? { fill: RISK[risk] } : {}}
            >
              {label}
            </text>
          )}
          <rect x={left - 1} y="0" width="10" height={BASE} fill="transparent">
            <title>{`${title}: finish by ${exact(dueAt, zone)}, ${percent(chance)} to be in time`}</title>
          </rect>
        </a>
      ))}
    </>
  )
}

const percent = (chance: number): string => `${Math.round(chance * 100)} %`

function saysOf(
  begins: string,
  ends: string,
  { slots, low, most, waits, n, capacity }: Record<'slots' | 'low' | 'most' | 'waits' | 'n' | 'capacity', number>,
): string {
  const band = most - low > 0.05 ? ` (${low.toFixed(1)} to ${most.toFixed(1)})` : ''
  const waiting = waits > 0.05 ? `, ${waits.toFixed(1)} waiting` : ''
  return `${begins} to ${ends}: ${slots.toFixed(1)}${band} of ${capacity} slots${waiting}, ${n === 1 ? 'one start' : `${n} starts`}`
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
  // One for which there is no room before the end of the line comes into sight by itself, some minutes later.
  const flags = pennants.flatMap((pennant) => {
    const left = Math.max(pennant.at, end)
    if (left + FLAG > to) return []
    end = left + FLAG
    return [{ ...pennant, left }]
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
