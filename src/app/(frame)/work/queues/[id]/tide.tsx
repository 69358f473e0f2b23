'use client'
import { useQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import type { ReactNode } from 'react'
import { StretchSelect, useStretch } from '@/app/shared/stretch-select'
import { Bar, ComposedChart, Line, ReferenceLine, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts'
import type { TideBucket } from '@/service/queues/figures'
import { api } from '@/ui/api'
import { clock, day } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { Panel, Row, Small, Spring } from '@/ui/parts/layout'
import { ACROSS, BESIDE_POINTER, UP } from '@/ui/parts/chart-look'

interface Drawn extends TideBucket {
  readonly label: string
  readonly done: number
  readonly bad: number
}

/** What is drawn of a stretch, and which items a bar leads to. */
const BARS = [
  { key: 'came', name: 'came', fill: 'var(--day-in)', what: 'came', state: undefined },
  { key: 'done', name: 'done', fill: 'var(--succeeded)', what: 'ended', state: 'done' },
  { key: 'bad', name: 'rejected or failed', fill: 'var(--failed)', what: 'ended', state: 'rejected,failed' },
] as const

/** What came above the line, what ended below it, and what was open as a level; each mark leads to its items. */
export function Tide({ id }: { id: number }): ReactNode {
  const { zone } = useMe()
  const router = useRouter()
  const over = useStretch()
  const { data } = useQuery({
    queryKey: ['queues', id, 'tide', over],
    queryFn: () => api.get<{ seconds: number; buckets: TideBucket[] }>(`/queues/${id}/tide?over=${over}`),
  })
  const drawn = (data?.buckets ?? []).map((bucket): Drawn => ({
    ...bucket,
    done: -bucket.done,
    bad: -bucket.bad,
    label:
      over === 'week'
        ? `${day(String(bucket.at), zone)} ${clock(String(bucket.at), zone)}`
        : clock(String(bucket.at), zone),
  }))
  const go = (what: 'came' | 'ended', state?: string) => (bar: { payload?: unknown }) => {
    const from = new Date(String((bar.payload as Drawn).at))
    const to = new Date(from.getTime() + (data?.seconds ?? 0) * 1000)
    const query = new URLSearchParams({
      [`${what}From`]: from.toISOString(),
      [`${what}To`]: to.toISOString(),
      ...(state ? { state } : {}),
    })
    router.push(`/work/queues/${id}?${query.toString()}`)
  }
  const total = (of: (bucket: Drawn) => number): number => drawn.reduce((sum, bucket) => sum + Math.abs(of(bucket)), 0)
  return (
    <Panel style={{ padding: '8px 12px' }}>
      <Row>
        <h2>The tide</h2>
        <Small>
          {total((b) => b.came)} came, {total((b) => b.done)} done, {total((b) => b.bad)} rejected or failed; the line
          is what was open
        </Small>
        <Spring />
        <StretchSelect />
      </Row>
      <div style={{ height: 170 }}>
        <ResponsiveContainer width="100%" height="100%">
          <ComposedChart
            data={drawn}
            stackOffset="sign"
            margin={{ top: 8, right: 4, bottom: 0, left: 0 }}
            barCategoryGap={1}
          >
            <XAxis dataKey="label" {...ACROSS} minTickGap={40} />
            <YAxis
              {...UP}
              width={40}
              allowDecimals={false}
              tickFormatter={(value: number) => String(Math.abs(value))}
            />
            <ReferenceLine y={0} stroke="var(--line-strong)" />
            <Tooltip
              cursor={{ fill: 'var(--shelf)' }}
              contentStyle={BESIDE_POINTER}
              formatter={(value, name) => [String(Math.abs(Number(value))), String(name)]}
            />
            {BARS.map(({ key, name, fill, what, state }) => (
              <Bar
                key={key}
                dataKey={key}
                name={name}
                stackId="tide"
                fill={fill}
                isAnimationActive={false}
                cursor="pointer"
                onClick={go(what, state)}
              />
            ))}
            <Line
              dataKey="open"
              name="open"
              type="stepAfter"
              stroke="var(--ink)"
              strokeWidth={1.5}
              dot={false}
              isAnimationActive={false}
            />
          </ComposedChart>
        </ResponsiveContainer>
      </div>
    </Panel>
  )
}
