'use client'
import type { DayAhead } from '@/core/forecast/ahead'
import { useQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useEffect, useState, type KeyboardEvent, type PointerEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import { api } from '../api'
import { clock, day, exact } from '../format'
import { useAddress } from '../hooks/address'
import { useMe } from '../hooks/me'
import { useNow } from '../hooks/now'
import { useWidth } from '../hooks/width'
import { Ahead, BASE, TOP } from './day-line-ahead'
import {
  afterKey,
  backFor,
  HOUR_MS,
  HOURS,
  HOURS_BACK,
  MOST_HOURS_BACK,
  placeOf,
  QUARTER_MS,
  quarterAt,
  type Stretch,
} from './day-line-time'

interface DayLineData {
  readonly from: string
  readonly bucketSeconds: number
  readonly capacity: number
  readonly used: number[]
  readonly failures: { id: number; title: string; at: string }[]
}

const HEIGHT = 82
/** The buttons stand at the right end of the hours. */
const FOLD_ROOM = 46
const BACK_ROOM = 84
/** Half of what the needle’s time takes up among the hours. */
const NEEDLE_ROOM = 30
/** Nearer than this, px, it was a click. */
const CLICK = 6

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
  .keys {
    position: absolute;
    inset: 0;
    pointer-events: none;
  }
  .keys:focus-visible {
    outline: 2px solid var(--brass);
    outline-offset: -2px;
  }
  a:focus-visible rect {
    stroke: var(--brass);
    stroke-width: 2px;
  }
`

/** A stretch as it is read out, and what Enter does there. */
const saidOf = (stretch: Stretch, nowMs: number, zone: string): string =>
  `${clock(stretch.from, zone)} to ${clock(stretch.to, zone)} ${day(stretch.from, zone)}: ${placeOf(stretch, nowMs).path === '/runs' ? 'what ran' : 'what is to start'}`

/** 24 hours, 8 back and 16 ahead, one needle at now. Behind it slots used, and failures as ticks; ahead the forecast, and finish-by times as pennants. */
export function DayLine(): ReactNode {
  const { zone } = useMe()
  // A pixel is more than a minute.
  const nowMs = useNow(15_000)
  const router = useRouter()
  const { values, set } = useAddress()
  const [width, box] = useWidth(1280)
  const [folded, setFolded] = useState(false)
  const [drag, setDrag] = useState<[number, number] | null>(null)
  // Hours further back than the eight that are always there.
  const [back, setBack] = useState(0)
  const [atKeys, setAtKeys] = useState<Stretch | null>(null)
  const { data } = useQuery({
    queryKey: back === 0 ? ['day'] : ['day', back],
    queryFn: () => api.get<DayLineData>(back === 0 ? '/day' : `/day?back=${back}`),
    refetchInterval: 20_000,
    placeholderData: (before) => before,
  })

  const { data: ahead } = useQuery({
    queryKey: ['coming', 'day'],
    queryFn: () => api.get<DayAhead>('/day/ahead'),
    refetchInterval: 60_000,
  })

  useEffect(() => setFolded(localStorage.getItem('bugle.dayline') === 'folded'), [])

  const fold = (): void => {
    localStorage.setItem('bugle.dayline', folded ? 'open' : 'folded')
    setFolded(!folded)
  }
  const fromMs = nowMs - (HOURS_BACK + back) * HOUR_MS
  const x = (ms: number): number => ((ms - fromMs) / (HOURS * HOUR_MS)) * width
  const timeAt = (px: number): number => fromMs + (px / width) * HOURS * HOUR_MS
  const px = (event: PointerEvent): number => event.clientX - event.currentTarget.getBoundingClientRect().left
  /** Bars that are over lead to what ran there, those to come to what is to start. */
  const go = (stretch: Stretch): void => {
    const { path, from, to } = placeOf(stretch, nowMs)
    if (window.location.pathname === path) set({ from, to, when: null, after: null })
    else router.push(`${path}?from=${encodeURIComponent(from)}&to=${encodeURIComponent(to)}`)
  }
  const endDrag = (): void => {
    if (drag && nowMs > 0) {
      const [left, right] = [Math.min(...drag), Math.max(...drag)]
      go(right - left > CLICK ? { from: timeAt(left), to: timeAt(right) } : quarterAt(timeAt(drag[1])))
    }
    setDrag(null)
  }
  const onKeyDown = (event: KeyboardEvent): void => {
    if (event.key === 'Enter' && atKeys) return go(atKeys)
    if (event.key === 'Escape') {
      setBack(0)
      return setAtKeys(null)
    }
    const next = afterKey(atKeys, event.key, event.shiftKey, nowMs)
    if (!next) return
    event.preventDefault()
    setAtKeys(next)
    setBack(backFor(event.shiftKey ? next.to : next.from, nowMs, back))
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
            x(ms) < width - FOLD_ROOM - (back > 0 ? BACK_ROOM : 0) &&
            Math.abs(x(ms) - x(nowMs)) > NEEDLE_ROOM,
        )
  const chosen =
    values.from && values.to ? ([x(new Date(values.from).getTime()), x(new Date(values.to).getTime())] as const) : null
  const band = drag ?? (atKeys ? ([x(atKeys.from), x(atKeys.to)] as const) : chosen)
  const keyed = atKeys ?? quarterAt(nowMs)
  return (
    <Strip ref={box} data-noprint aria-label="Day line">
      <div
        className="keys"
        role="slider"
        tabIndex={0}
        aria-label="Time on the day line"
        aria-valuemin={-(HOURS_BACK + MOST_HOURS_BACK) * 4}
        aria-valuemax={(HOURS - HOURS_BACK) * 4}
        aria-valuenow={Math.round((keyed.from - quarterAt(nowMs).from) / QUARTER_MS)}
        aria-valuetext={nowMs > 0 ? saidOf(keyed, nowMs, zone) : ''}
        onKeyDown={onKeyDown}
        onFocus={() => setAtKeys(quarterAt(nowMs))}
        onBlur={() => setAtKeys(null)}
      />
      <svg
        width={width}
        height={HEIGHT}
        role="group"
        aria-label="Slots used and failures in the last eight hours; the forecast of slots, and deadlines with their chances, in the next sixteen"
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
            <rect
              x={x(nowMs)}
              y={TOP}
              width={Math.max(0, width - x(nowMs))}
              height={BASE - TOP}
              fill="rgb(10 19 22 / 22%)"
            />
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
      {back > 0 && (
        <button className="fold" style={{ right: 46 }} onClick={() => setBack(0)} type="button">
          back to now
        </button>
      )}
      <button className="fold" onClick={fold} type="button">
        fold
      </button>
    </Strip>
  )
}
