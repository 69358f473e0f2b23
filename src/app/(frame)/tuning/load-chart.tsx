'use client'
import { useMemo, type ReactNode } from 'react'
import {
  Area,
  CartesianGrid,
  ComposedChart,
  Line,
  ReferenceLine,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from 'recharts'
import { clock } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { ACROSS, BESIDE_POINTER, UP } from '@/ui/parts/chart-look'
import type { Point } from './series'

/** Where the plot begins and ends beside the chart's box, px: what stands below it is in step with it. */
export const PLOT = { left: 40, right: 12 } as const

/** Slots over time: what is in demand, what the forecast sees in use, and how it stands without the moves. */
export function LoadChart({
  points,
  before,
  capacity,
  bound,
  height = 210,
  onMinute,
}: {
  points: readonly Point[]
  /** As it stands, where something is changed. */
  before?: readonly Point[] | undefined
  capacity: number
  /** No answer within the windows peaks below this. */
  bound?: number | undefined
  height?: number
  onMinute?: (at: number) => void
}): ReactNode {
  const { zone } = useMe()
  const data = useMemo(() => points.map((point, i) => ({ ...point, before: before?.[i]?.demand })), [points, before])
  const first = points[0]?.at ?? 0
  const last = points.at(-1)?.at ?? 0
  const hours = Math.max(1, Math.ceil((last - first) / 3_600_000 / 15))
  const begins = Math.ceil(first / 3_600_000) * 3_600_000
  const ticks = Array.from(
    { length: Math.floor((last - begins) / 3_600_000 / hours) + 1 },
    (_, i) => begins + i * hours * 3_600_000,
  )
  return (
    <div style={{ height }}>
      <ResponsiveContainer width="100%" height="100%">
        <ComposedChart
          data={data}
          margin={{ top: 14, right: PLOT.right, bottom: 0, left: 0 }}
          onClick={({ activeLabel }) => activeLabel !== undefined && onMinute?.(Number(activeLabel))}
          style={onMinute ? { cursor: 'pointer' } : {}}
          accessibilityLayer={false}
        >
          <CartesianGrid stroke="var(--line)" vertical={false} />
          <XAxis
            dataKey="at"
            type="number"
            domain={[first, last]}
            ticks={ticks}
            tickFormatter={(at: number) => clock(at, zone)}
            {...ACROSS}
          />
          <YAxis
            {...UP}
            width={PLOT.left}
            allowDecimals={false}
            domain={[0, (most: number) => Math.max(most, capacity)]}
          />
          <Tooltip
            cursor={{ stroke: 'var(--brass)' }}
            contentStyle={BESIDE_POINTER}
            labelFormatter={(at) => clock(Number(at), zone)}
            formatter={(value, name) => [`${String(value)} slots`, name]}
          />
          <Area
            dataKey="demand"
            name={before ? 'in demand with the moves' : 'in demand'}
            type="stepAfter"
            fill="var(--running)"
            fillOpacity={0.45}
            stroke="var(--running)"
            isAnimationActive={false}
          />
          <Line
            dataKey="forecast"
            name="in use by the forecast"
            type="stepAfter"
            stroke="var(--ink)"
            strokeWidth={1.2}
            strokeDasharray="3 2"
            dot={false}
            isAnimationActive={false}
          />
          {before && (
            <Line
              dataKey="before"
              name="in demand as it stands"
              type="stepAfter"
              stroke="var(--failed)"
              strokeWidth={1.6}
              dot={false}
              isAnimationActive={false}
            />
          )}
          <ReferenceLine
            y={capacity}
            stroke="var(--ink)"
            strokeDasharray="1 3"
            label={{ value: `capacity ${capacity}`, position: 'insideTopRight', fontSize: 11.5, fill: 'var(--ink)' }}
          />
          {bound !== undefined && (
            <ReferenceLine
              y={bound}
              stroke="var(--late)"
              strokeDasharray="6 3"
              label={{
                value: `no starts within these windows peak below ${bound}`,
                position: 'insideTopLeft',
                fontSize: 11.5,
                fill: 'var(--late)',
              }}
            />
          )}
        </ComposedChart>
      </ResponsiveContainer>
    </div>
  )
}

/** What the lines of the chart mean. */
export function Legend({ isEdited }: { isEdited: boolean }): ReactNode {
  const entry = (what: string, mark: ReactNode): ReactNode => (
    <span style={{ display: 'inline-flex', gap: 6, alignItems: 'center', color: 'var(--mute)', fontSize: 12 }}>
      <svg width="16" height="10" aria-hidden="true">
        {mark}
      </svg>
      {what}
    </span>
  )
  return (
    <>
      {entry(
        isEdited ? 'in demand with the moves' : 'in demand',
        <rect width="16" height="10" fill="var(--running)" fillOpacity={0.45} />,
      )}
      {isEdited && entry('as it stands', <line x1="0" x2="16" y1="5" y2="5" stroke="var(--failed)" strokeWidth="2" />)}
      {entry(
        'in use by the forecast',
        <line x1="0" x2="16" y1="5" y2="5" stroke="var(--ink)" strokeDasharray="3 2" strokeWidth="1.4" />,
      )}
    </>
  )
}
