'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { Line, LineChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts'
import { useStretch } from '@/app/shared/stretch-select'
import type { AgentRow } from '@/service/fleet/fleet'
import type { MeasureSeries } from '@/service/timing/measures'
import { api, queryOf } from '@/ui/api'
import { clock, day } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { Panel, Row, Small } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { ACROSS, BESIDE_POINTER, SHARE } from '@/ui/parts/chart-look'

const DAYS = { hour: 1 / 24, day: 1, week: 7 }
/** Of the load only the newest value is shown. */
const JUST_NOW = 0.01
const LINES = [
  { name: 'memory', title: 'memory', colour: 'var(--running)' },
  { name: 'disk', title: 'fullest disk', colour: 'var(--brass)' },
] as const

/** How full memory and disk of an agent’s machine were, and how busy its processors are; nothing where it does not say. */
export function MachineMeasures({ agent }: { agent: AgentRow }): ReactNode {
  const { zone } = useMe()
  const over = useStretch()
  const useMeasure = (name: string, days: number): MeasureSeries['values'] => {
    const { data } = useQuery({
      queryKey: ['measures', { agent: agent.name }, name, days],
      queryFn: () => api.get<MeasureSeries[]>(`/measures/values${queryOf({ agent: agent.name, name, days })}`),
      staleTime: 30_000,
    })
    return data?.[0]?.values ?? []
  }
  const values = { memory: useMeasure('memory', DAYS[over]), disk: useMeasure('disk', DAYS[over]) }
  const load = useMeasure('load', JUST_NOW).at(-1)
  if (values.memory.length + values.disk.length === 0) return null
  const now = LINES.flatMap(({ name, title }) => {
    const last = values[name].at(-1)
    return last ? [`${title} ${Math.round(last.value)} %`] : []
  })
  return (
    <Panel style={{ padding: '8px 12px' }}>
      <Row>
        <h2>Its machine</h2>
        <Small>
          {[...now, ...(load ? [`load per processor ${load.value}`] : [])].join(' · ')} ·{' '}
          <Link href="/timing/triggers/new">start something when it goes beyond</Link>
        </Small>
      </Row>
      <div style={{ height: 110 }}>
        <ResponsiveContainer width="100%" height="100%">
          <LineChart margin={{ top: 8, right: 4, bottom: 0, left: 0 }}>
            <XAxis
              type="number"
              dataKey="atMs"
              domain={['dataMin', 'dataMax']}
              tickFormatter={(at: number) => (over === 'week' ? day(at, zone) : clock(at, zone))}
              {...ACROSS}
              minTickGap={40}
            />
            <YAxis {...SHARE} />
            <Tooltip
              contentStyle={BESIDE_POINTER}
              labelFormatter={(at) => `${day(Number(at), zone)} ${clock(Number(at), zone)}`}
              formatter={(value, name) => [`${String(value)} %`, name]}
            />
            {LINES.map(({ name, title, colour }) => (
              <Line
                key={name}
                data={[...values[name]]}
                dataKey="value"
                name={title}
                stroke={colour}
                strokeWidth={1.5}
                dot={false}
                isAnimationActive={false}
              />
            ))}
          </LineChart>
        </ResponsiveContainer>
      </div>
    </Panel>
  )
}
