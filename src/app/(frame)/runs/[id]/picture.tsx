'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { RunFull } from '@/service/runs/run-page'
import { clockSeconds, duration } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { useNow } from '@/ui/hooks/now'
import { useWidth } from '@/ui/hooks/width'
import { ticksOf } from '@/app/shared/flow/ticks'
import { Panel } from '@/ui/parts/layout'

const Box = styled(Panel)`
  padding: 6px 0 8px;
  flex: none;
  overflow: hidden;
  text {
    font:
      11.5px 'Archivo Variable',
      sans-serif;
    fill: var(--mute);
  }
  .try {
    cursor: pointer;
  }
  .try:focus-visible rect {
    stroke: var(--brass);
    stroke-width: 2px;
  }
`
const LEFT = 16
const RIGHT = 60
const BAR_Y = 28
const BAR_H = 26

/** The run on a time scale: the wait before it, each try as a bar, the usual length as a brass line. */
export function Picture({
  run,
  chosen,
  onChoose,
}: {
  run: RunFull
  chosen: number
  onChoose: (number: number) => void
}): ReactNode {
  const { zone } = useMe()
  const nowMs = useNow(run.endedAt ? 60_000 : 1000)
  const [width, box] = useWidth(1200)
  if (nowMs === 0) return <Box style={{ height: 84 }} ref={box} />
  const t = (text: string): number => new Date(text).getTime()
  const begins = t(run.createdAt)
  const first = run.tries[0] ? t(run.tries[0].handedAt) : begins
  // A run that waited for hours before it ran is drawn from a little before its first try.
  const span = Math.max(1000, (run.endedAt ? t(run.endedAt) : nowMs) - first)
  const from = Math.max(begins, first - span * 0.15)
  const usualEnd = run.usualMs !== null && run.tries.length > 0 ? first + run.usualMs : 0
  const to = Math.max(run.endedAt ? t(run.endedAt) : nowMs, Math.min(usualEnd, first + span * 4), from + 1000)
  const x = (ms: number): number => LEFT + ((ms - from) / (to - from)) * (width - LEFT - RIGHT)
  const ticks = ticksOf(from, to, 9)
  return (
    <Box ref={box} aria-label="The run on a time scale">
      <svg width={width} height={70} role="group" aria-label={`${run.tries.length} tries`}>
        {ticks.map(({ at: ms, text }, i) => (
          <g key={ms}>
            <line x1={x(ms)} x2={x(ms)} y1={18} y2={62} stroke="var(--line)" />
            <text x={x(ms)} y={13} textAnchor={i === 0 ? 'start' : 'middle'}>
              {i === 0 ? clockSeconds(ms, zone) : text}
            </text>
          </g>
        ))}
        {first > from && (
          <rect
            x={x(from)}
            y={BAR_Y + 10}
            width={Math.max(0, x(first) - x(from))}
            height={6}
            fill="none"
            stroke="var(--waiting)"
            strokeDasharray="3 2"
          />
        )}
        {run.tries.map((attempt) => {
          const left = x(t(attempt.startedAt ?? attempt.handedAt))
          const right = x(attempt.endedAt ? t(attempt.endedAt) : nowMs)
          const state = attempt.endedAt ? attempt.state : 'running'
          const fill =
            {
              succeeded: 'var(--succeeded-soft)',
              failed: 'var(--failed)',
              running: 'var(--running)',
              lost: 'var(--lost)',
            }[state] ?? 'var(--skipped-soft)'
          const ink =
            state === 'succeeded' ? 'var(--succeeded)' : state === 'cancelled' ? 'var(--skipped)' : 'var(--on-solid)'
          const label = `try ${attempt.number} on ${attempt.agent}, ${state}`
          const isWide = right - left > 170
          const isChosen = attempt.number === chosen && run.tries.length > 1
          return (
            <g
              key={attempt.id}
              className="try"
              role="button"
              tabIndex={0}
              aria-label={label}
              onClick={() => onChoose(attempt.number)}
              onKeyDown={(event) => event.key === 'Enter' && onChoose(attempt.number)}
            >
              <rect
                x={left}
                y={BAR_Y}
                width={Math.max(3, right - left)}
                height={BAR_H}
                rx={2}
                fill={fill}
                stroke={isChosen ? 'var(--ink)' : state === 'succeeded' || state === 'cancelled' ? ink : 'none'}
                strokeWidth={isChosen ? 2 : 1}
              >
                <title>{`${label}: ${duration((attempt.endedAt ? t(attempt.endedAt) : nowMs) - t(attempt.startedAt ?? attempt.handedAt))}`}</title>
              </rect>
              {isWide && (
                <text x={left + 7} y={BAR_Y + 17} style={{ fill: ink, fontWeight: 600 }}>
                  {run.tries.length > 1 ? `try ${attempt.number} · ` : ''}
                  {attempt.agent}
                </text>
              )}
            </g>
          )
        })}
        {usualEnd > 0 && usualEnd <= to && (
          <g>
            <line
              x1={x(first)}
              x2={x(usualEnd)}
              y1={BAR_Y + BAR_H + 4}
              y2={BAR_Y + BAR_H + 4}
              stroke="var(--brass)"
              strokeWidth={3}
            />
            <text x={x(usualEnd) + 5} y={BAR_Y + BAR_H + 8} style={{ fill: 'var(--brass-ink)' }}>
              usual
            </text>
          </g>
        )}
        {!run.endedAt && <line x1={x(nowMs)} x2={x(nowMs)} y1={18} y2={66} stroke="var(--brass)" strokeWidth={2} />}
      </svg>
    </Box>
  )
}
