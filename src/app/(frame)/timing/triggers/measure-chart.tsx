'use client'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import {
  CartesianGrid,
  Line,
  LineChart,
  ReferenceDot,
  ReferenceLine,
  ResponsiveContainer,
  XAxis,
  YAxis,
} from 'recharts'
import type { Measure } from '@/core/events/kinds'
import { firings } from '@/core/events/measure'
import type { MeasureSeries } from '@/service/timing/measures'
import { api, queryOf } from '@/ui/api'
import { clock, count, day } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { ACROSS, UP } from '@/ui/parts/chart-look'

const DAYS = [
  { id: '0.25', title: '6 hours' },
  { id: '1', title: 'a day' },
  { id: '7', title: 'a week' },
  { id: '14', title: 'two weeks' },
]
/** So many points are drawn: what lies between is left out, but for where it fires. */
const MOST_POINTS = 400

/** The kept values of what a trigger looks at, with the limits as they are in the form, and each place where it would have fired. */
export function MeasureChart({ measure }: { measure: Measure }): ReactNode {
  const { zone } = useMe()
  const [days, setDays] = useState('1')
  const isNamed = Object.values(measure.of).some(Boolean)
  const { data: series = [], error } = useQuery({
    queryKey: ['measures', measure.of, measure.name, days],
    queryFn: () => api.get<MeasureSeries[]>(`/measures/values${queryOf({ ...measure.of, name: measure.name, days })}`),
    enabled: isNamed,
    placeholderData: keepPreviousData,
    retry: false,
  })
  if (!isNamed) return null
  const fired = series.map(({ of, values }) => ({ of, values, at: firings(measure, values) }))
  const all = fired.reduce((sum, { at }) => sum + at.length, 0)
  const first = Math.min(...fired.flatMap(({ values }) => values[0]?.atMs ?? []))
  const last = Math.max(...fired.flatMap(({ values }) => values.at(-1)?.atMs ?? []))
  return (
    <Stack as="section" $gap={6} aria-label="What it would have done">
      <Row>
        <h2>
          {all === 0 ? 'It would not have fired' : `It would have fired ${all === 1 ? 'once' : count(all, 'time')}`}
        </h2>
        <Spring />
        <Select label="Over the last" hideLabel value={days} onChange={setDays} choices={DAYS} width="110px" />
      </Row>
      <Trouble error={error} />
      {Number.isFinite(first) ? (
        <div style={{ height: 190 }} aria-hidden="true">
          <ResponsiveContainer>
            <LineChart margin={{ top: 6, right: 6, bottom: 0, left: 0 }} accessibilityLayer={false}>
              <CartesianGrid stroke="var(--line)" vertical={false} />
              <XAxis
                type="number"
                dataKey="atMs"
                domain={[first, Math.max(last, first + 1)]}
                tickFormatter={(at: number) => (Number(days) > 1 ? day(at, zone) : clock(at, zone))}
                {...ACROSS}
                minTickGap={40}
              />
              <YAxis width={38} {...UP} domain={['auto', 'auto']} />
              {[measure.above ?? measure.below, measure.clear].map(
                (limit, i) =>
                  typeof limit === 'number' && (
                    <ReferenceLine
                      key={i}
                      y={limit}
                      stroke={i === 0 ? 'var(--failed)' : 'var(--mute)'}
                      strokeDasharray={i === 0 ? undefined : '4 3'}
                      ifOverflow="extendDomain"
                    />
                  ),
              )}
              {fired.map(({ of, values }) => (
                <Line
                  key={of}
                  data={thinned(values)}
                  dataKey="value"
                  name={of}
                  stroke="var(--ink)"
                  dot={false}
                  isAnimationActive={false}
                  strokeWidth={1.25}
                />
              ))}
              {fired.flatMap(({ of, at }) =>
                at.map(({ atMs, value }) => (
                  <ReferenceDot
                    key={`${of} ${atMs}`}
                    x={atMs}
                    y={value}
                    r={4}
                    fill="var(--brass)"
                    stroke="var(--ink)"
                  />
                )),
              )}
            </LineChart>
          </ResponsiveContainer>
        </div>
      ) : (
        <Small>Nothing has been measured yet.</Small>
      )}
      {all > 0 && (
        <Small>
          {fired
            .flatMap(({ of, at }) =>
              at.map(({ atMs }) => `${fired.length > 1 ? `${of} ` : ''}${day(atMs, zone)} ${clock(atMs, zone)}`),
            )
            .slice(-6)
            .join(' · ')}
        </Small>
      )}
    </Stack>
  )
}

function thinned<T>(values: readonly T[]): T[] {
  const step = Math.ceil(values.length / MOST_POINTS)
  return values.filter((_, i) => i % step === 0 || i === values.length - 1)
}
