'use client'
import { useRouter } from 'next/navigation'
import type { ReactNode } from 'react'
import { Bar, ComposedChart, Line, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts'
import type { Mark, ReportChart } from '@/core/reports/document'
import { written, type Writing } from '@/core/reports/write'
import { ACROSS, BESIDE_POINTER, UP } from '@/ui/parts/chart-look'

const COLOURS: Record<Mark, string> = {
  good: 'var(--succeeded)',
  bad: 'var(--failed)',
  plain: 'var(--faint)',
  before: 'var(--brass)',
}

/** A chart of a report; a mark leads to what it counts. */
export function Chart({ chart, writing }: { chart: ReportChart; writing: Writing }): ReactNode {
  const router = useRouter()
  const { labels, series, unit, hrefs, kind } = chart
  const isDay = /^\d{4}-\d{2}-\d{2}$/.test(labels[0] ?? '')
  const rows = labels.map((label, i) => ({
    label: isDay ? written('day', label, writing) : label,
    href: hrefs?.[i] ?? null,
    ...Object.fromEntries(series.map(({ values }, nth) => [`s${nth}`, values[i] ?? null])),
  }))
  const go = (payload: unknown): void => {
    const { href } = payload as { href: string | null }
    if (href) router.push(href)
  }
  return (
    <figure style={{ margin: 0 }}>
      <figcaption>
        <h3>{chart.title}</h3>
      </figcaption>
      <div style={{ height: 180 }}>
        <ResponsiveContainer width="100%" height="100%">
          <ComposedChart data={rows} margin={{ top: 8, right: 4, bottom: 0, left: 0 }}>
            <XAxis dataKey="label" {...ACROSS} minTickGap={24} />
            <YAxis
              allowDecimals={unit !== 'count'}
              {...UP}
              width={unit === 'money' ? 76 : 44}
              tickFormatter={(value: number) => written(unit, value, writing)}
            />
            <Tooltip
              cursor={{ fill: 'var(--shelf)' }}
              contentStyle={BESIDE_POINTER}
              formatter={(value) => written(unit, Number(value), writing)}
            />
            {series.map(({ title, mark }, nth) =>
              kind === 'bars' ? (
                <Bar
                  key={title}
                  dataKey={`s${nth}`}
                  name={title}
                  stackId="all"
                  maxBarSize={64}
                  fill={COLOURS[mark]}
                  isAnimationActive={false}
                  {...(hrefs ? { cursor: 'pointer', onClick: (bar: { payload?: unknown }) => go(bar.payload) } : {})}
                />
              ) : (
                <Line
                  key={title}
                  dataKey={`s${nth}`}
                  name={title}
                  stroke={COLOURS[mark]}
                  strokeWidth={1.5}
                  {...(nth > 0 ? { strokeDasharray: '5 3' } : {})}
                  dot={false}
                  isAnimationActive={false}
                />
              ),
            )}
          </ComposedChart>
        </ResponsiveContainer>
      </div>
    </figure>
  )
}
