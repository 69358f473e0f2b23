'use client'
import type { ReactNode } from 'react'
import {
  CartesianGrid,
  ComposedChart,
  Line,
  ReferenceArea,
  ReferenceLine,
  ResponsiveContainer,
  Scatter,
  Tooltip,
  XAxis,
  YAxis,
} from 'recharts'
import { bandOf } from '@/core/stats/band'
import { clock, day } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { ACROSS, BESIDE_POINTER, UP } from '@/ui/parts/chart-look'
import { figure } from './words'

export interface ChartPoint {
  readonly atMs: number
  readonly value: number
  /** The run that it is of. */
  readonly runId?: number
  readonly state?: string
}

const FILL: Readonly<Record<string, string>> = { failed: 'var(--failed)', lost: 'var(--lost)' }
const DAY_MS = 86_400_000

/** Values over time with the band in which nine in ten of them lie; of runs each is a dot that leads to its run, failures in their colour. */
export function ValueChart({
  points,
  said = figure,
  onOpen,
  height = 170,
}: {
  readonly points: readonly ChartPoint[]
  readonly said?: (value: number) => string
  readonly onOpen?: (runId: number) => void
  readonly height?: number
}): ReactNode {
  const { zone } = useMe()
  const band = bandOf(points.map(({ value }) => value))
  const [first, last] = [points[0]?.atMs ?? 0, points.at(-1)?.atMs ?? 0]
  const when = (at: number): string => (last - first > 2 * DAY_MS ? day(at, zone) : clock(at, zone))
  const isOfRuns = points.some(({ runId }) => runId !== undefined)
  return (
    <div style={{ height }} aria-hidden="true">
      <ResponsiveContainer>
        <ComposedChart data={[...points]} margin={{ top: 6, right: 8, bottom: 0, left: 0 }} accessibilityLayer={false}>
          <CartesianGrid stroke="var(--line)" vertical={false} />
          <XAxis
            type="number"
            dataKey="atMs"
            domain={[first, Math.max(last, first + 1)]}
            tickFormatter={when}
            minTickGap={48}
            {...ACROSS}
          />
          <YAxis dataKey="value" width={64} tickFormatter={said} domain={['auto', 'auto']} {...UP} />
          {band && <ReferenceArea y1={band.low} y2={band.high} fill="var(--brass)" fillOpacity={0.13} stroke="none" />}
          {band && <ReferenceLine y={band.middle} stroke="var(--brass)" strokeWidth={1.5} />}
          <Tooltip
            cursor={{ stroke: 'var(--line-strong)' }}
            contentStyle={{ ...BESIDE_POINTER, borderRadius: 3 }}
            labelFormatter={(at) => `${day(Number(at), zone)} ${clock(Number(at), zone)}`}
            formatter={(value, _name, item) => {
              const { runId, state } = item.payload as ChartPoint
              return [said(Number(value)), runId === undefined ? 'value' : `#${runId} ${state ?? ''}`]
            }}
          />
          {isOfRuns ? (
            <Scatter
              dataKey="value"
              isAnimationActive={false}
              cursor={onOpen ? 'pointer' : undefined}
              onClick={(dot) => {
                const { runId } = (dot as { payload?: ChartPoint }).payload ?? {}
                if (runId !== undefined) onOpen?.(runId)
              }}
              shape={(props: { cx?: number | undefined; cy?: number | undefined; payload?: ChartPoint }) => (
                <circle
                  cx={props.cx}
                  cy={props.cy}
                  r={3.5}
                  fill={FILL[props.payload?.state ?? ''] ?? 'var(--succeeded)'}
                />
              )}
            />
          ) : (
            <Line dataKey="value" stroke="var(--ink)" dot={false} isAnimationActive={false} strokeWidth={1.25} />
          )}
        </ComposedChart>
      </ResponsiveContainer>
    </div>
  )
}
