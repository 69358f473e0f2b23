'use client'
import { useQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useEffect, useState, type PointerEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import { api } from '../api'
import { clock, exact } from '../format'
import { useAddress } from '../hooks/address'
import { useMe } from '../hooks/me'
import { useNow } from '../hooks/now'
import { useWidth } from '../hooks/width'

interface DayLineData {
  readonly from: string
  readonly bucketSeconds: number
  readonly capacity: number
  readonly used: number[]
  readonly failures: { id: number; title: string; at: string }[]
}

interface AheadData {
  readonly from: string
  readonly bucketSeconds: number
  readonly starts: number[]
  readonly load: number[]
  readonly deadlines: { triggerId: number; title: string; dueAt: string }[]
}

const HOURS_BACK = 8
const HOURS = 24
const HEIGHT = 82
const BASE = 66
const TOP = 24
const HOUR_MS = 3_600_000

const Strip = styled.div`
  position: relative;
  background: var(--deck-2);
  border-bottom: 1px solid var(--deck-line);
  flex: none;
  color: #b9c6c6;
  svg {
    display: block;
    touch-action: none;
  }
  text {
    font:
      11.5px 'Archivo Variable',
      sans-serif;
    fill: #b9c6c6;
  }
  .now {
    fill: #14272d;
    font-weight: 700;
  }
  .fold {
    position: absolute;
    right: 4px;
    bottom: -3px;
    border: 0;
    background: transparent;
    color: #b9c6c6;
    font-size: 11.5px;
    cursor: pointer;
    min-height: 24px;
    padding: 0 6px;
  }
  a:focus-visible rect {
    stroke: var(--brass);
    stroke-width: 2px;
  }
`

/** 24 hours, 8 back and 16 ahead, one needle at now. Behind it slots used, and failures as ticks; ahead slots to be used by usual lengths, and finish-by times as pennants. */
export function DayLine(): ReactNode {
  const { zone } = useMe()
  const nowMs = useNow()
  const router = useRouter()
  const { values, set } = useAddress()
  const [width, box] = useWidth(1280)
  const [folded, setFolded] = useState(false)
  const [drag, setDrag] = useState<[number, number] | null>(null)
  const { data } = useQuery({ queryKey: ['day'], queryFn: () => api.get<DayLineData>('/day'), refetchInterval: 20_000 })

  const { data: ahead } = useQuery({
    queryKey: ['coming', 'day'],
    queryFn: () => api.get<AheadData>('/day/ahead'),
    refetchInterval: 60_000,
  })

  useEffect(() => setFolded(localStorage.getItem('bugle.dayline') === 'folded'), [])

  const fold = (): void => {
    localStorage.setItem('bugle.dayline', folded ? 'open' : 'folded')
    setFolded(!folded)
  }
  const fromMs = nowMs - HOURS_BACK * HOUR_MS
  const x = (ms: number): number => ((ms - fromMs) / (HOURS * HOUR_MS)) * width
  const timeAt = (px: number): number => fromMs + (px / width) * HOURS * HOUR_MS
  const px = (event: PointerEvent): number => event.clientX - event.currentTarget.getBoundingClientRect().left
  const endDrag = (): void => {
    if (drag && Math.abs(drag[1] - drag[0]) > 6) {
      const [from, to] = [Math.min(...drag), Math.max(...drag)].map((p) =>
        new Date(Math.round(timeAt(p) / 60_000) * 60_000).toISOString(),
      ) as [string, string]
      if (window.location.pathname === '/runs') set({ from, to, after: null })
      else router.push(`/runs?from=${encodeURIComponent(from)}&to=${encodeURIComponent(to)}`)
    }
    setDrag(null)
  }

  if (folded) {
    return (
      <Strip ref={box} style={{ height: 6 }} data-noprint>
        <button
          className="fold"
          style={{ top: 4, zIndex: 2, background: 'var(--deck-2)', borderRadius: 3 }}
          onClick={fold}
          type="button"
        >
          day line
        </button>
        {nowMs > 0 && (
          <div style={{ position: 'absolute', left: x(nowMs) - 1, width: 2, height: 6, background: 'var(--brass)' }} />
        )}
      </Strip>
    )
  }
  const top = Math.max(1, data?.capacity ?? 1)
  const firstHour = Math.ceil(fromMs / HOUR_MS) * HOUR_MS
  const hours =
    nowMs === 0
      ? []
      : Array.from({ length: HOURS }, (_, i) => firstHour + i * HOUR_MS).filter(
          (ms) =>
            Number(clock(ms, zone).slice(0, 2)) % 2 === 0 &&
            x(ms) < width - FOLD_ROOM &&
            Math.abs(x(ms) - x(nowMs)) > NEEDLE_ROOM,
        )
  const chosen =
    values.from && values.to ? ([x(new Date(values.from).getTime()), x(new Date(values.to).getTime())] as const) : null
  const band = drag ?? chosen
  return (
    <Strip ref={box} data-noprint aria-label="Day line">
      <svg
        width={width}
        height={HEIGHT}
        role="group"
        aria-label="Slots used and failures in the last eight hours; slots that the coming starts will use, and deadlines, in the next sixteen"
        onPointerDown={(event) => !(event.target as Element).closest('a') && setDrag([px(event), px(event)])}
        onPointerMove={(event) => drag && setDrag([drag[0], px(event)])}
        onPointerUp={endDrag}
        onPointerLeave={() => setDrag(null)}
      >
        {nowMs > 0 && data && (
          <>
            <line x1="0" x2={width} y1={TOP} y2={TOP} stroke="#6d8488" strokeDasharray="1 3" />
            <text x="8" y={TOP - 5}>
              capacity {data.capacity} slots
            </text>
            {data.used.map((used, i) => {
              const begins = new Date(data.from).getTime() + i * data.bucketSeconds * 1000
              const ends = Math.min(nowMs, begins + data.bucketSeconds * 1000)
              const left = Math.max(0, x(begins))
              const height = Math.max(used > 0 ? 2 : 0, (used / top) * (BASE - TOP))
              return (
                <rect
                  key={begins}
                  x={left}
                  width={Math.max(0, x(ends) - left - 1)}
                  y={BASE - height}
                  height={height}
                  fill="#6c9196"
                >
                  <title>{`${clock(begins, zone)}: ${used.toFixed(1)} of ${data.capacity} slots`}</title>
                </rect>
              )
            })}
          </>
        )}
        {nowMs > 0 && (
          <>
            <rect x={x(nowMs)} y={TOP} width={width - x(nowMs)} height={BASE - TOP} fill="rgb(10 19 22 / 22%)" />
            <Ahead data={ahead} capacity={top} nowMs={nowMs} x={x} zone={zone} width={width} />
            <line x1="0" x2={width} y1={BASE} y2={BASE} stroke="#53696e" />
            {hours.map((ms) => (
              <g key={ms}>
                <line x1={x(ms)} x2={x(ms)} y1={BASE} y2={BASE + 3} stroke="#53696e" />
                <text x={x(ms)} y={HEIGHT - 3} textAnchor="middle">
                  {clock(ms, zone).slice(0, 2)}
                </text>
              </g>
            ))}
            {data?.failures.map((failure) => (
              <a
                key={failure.id}
                href={`/runs/${failure.id}`}
                aria-label={`${failure.title} #${failure.id} failed at ${clock(failure.at, zone)}`}
              >
                <rect x={x(new Date(failure.at).getTime()) - 3} y={BASE - 7} width="6" height="6" fill="#f0845f">
                  <title>{`${failure.title} #${failure.id} failed ${exact(failure.at, zone)}`}</title>
                </rect>
              </a>
            ))}
            {band && (
              <rect
                x={Math.min(...band)}
                width={Math.abs(band[1] - band[0])}
                y="0"
                height={BASE}
                fill="rgb(217 161 50 / 22%)"
                stroke="var(--brass)"
              />
            )}
            <line x1={x(nowMs)} x2={x(nowMs)} y1="0" y2={BASE} stroke="var(--brass)" strokeWidth="2" />
            <rect x={x(nowMs) - 20} y={BASE} width="40" height={HEIGHT - BASE} fill="var(--brass)" rx="2" />
            <text className="now" x={x(nowMs)} y={HEIGHT - 4} textAnchor="middle">
              {clock(nowMs, zone)}
            </text>
          </>
        )}
      </svg>
      <button className="fold" onClick={fold} type="button">
        fold
      </button>
    </Strip>
  )
}

/** A character of a label is about this wide, px. */
const CHARACTER = 6
/** The fold button stands at the right end of the hours. */
const FOLD_ROOM = 46
/** Half of what the needle’s time takes up among the hours. */
const NEEDLE_ROOM = 30

/** Slots that the coming starts will use, a bar for each quarter of an hour, and deadlines: those with room for it by name. */
function Ahead({
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
