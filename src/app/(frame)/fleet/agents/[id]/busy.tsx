'use client'
import { useQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import type { ReactNode } from 'react'
import { StretchSelect, useStretch } from '@/app/shared/stretch-select'
import { Bar, BarChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts'
import type { AgentRow } from '@/service/fleet/fleet'
import { api, queryOf } from '@/ui/api'
import { clock, day } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { Panel, Row, Small, Spring } from '@/ui/parts/layout'
import { ACROSS, BESIDE_POINTER, SHARE } from '@/ui/parts/chart-look'

/** How many of its slots an agent had in use, by the hour; a bar leads to its runs. */
export function Busy({ agent }: { agent: AgentRow }): ReactNode {
  const { zone } = useMe()
  const router = useRouter()
  const over = useStretch()
  const { data = [] } = useQuery({
    queryKey: ['agents', agent.id, 'busy', over],
    queryFn: () => api.get<{ at: string; share: number }[]>(`/agents/${agent.id}/busy?over=${over}`),
  })
  const bars = data.map((bucket) => ({
    ...bucket,
    percent: Math.round(bucket.share * 1000) / 10,
    label: over === 'week' ? `${day(bucket.at, zone)} ${clock(bucket.at, zone)}` : clock(bucket.at, zone),
  }))
  const mean = data.length === 0 ? 0 : data.reduce((sum, b) => sum + b.share, 0) / data.length
  const step = { hour: 300_000, day: 1_800_000, week: 7_200_000 }[over]
  return (
    <Panel style={{ padding: '8px 12px' }}>
      <Row>
        <h2>How busy</h2>
        <Small>{Math.round(mean * 100)} % of its slots on average</Small>
        <Spring />
        <StretchSelect />
      </Row>
      <div style={{ height: 130 }}>
        <ResponsiveContainer width="100%" height="100%">
          <BarChart data={bars} margin={{ top: 8, right: 4, bottom: 0, left: 0 }} barCategoryGap={1}>
            <XAxis dataKey="label" {...ACROSS} minTickGap={40} />
            <YAxis {...SHARE} />
            <Tooltip
              cursor={{ fill: 'var(--shelf)' }}
              contentStyle={BESIDE_POINTER}
              formatter={(value) => [`${String(value)} %`, 'slots in use']}
            />
            <Bar
              dataKey="percent"
              fill="var(--running)"
              isAnimationActive={false}
              cursor="pointer"
              onClick={(bar) => {
                const at = new Date((bar.payload as { at: string }).at)
                router.push(
                  `/runs${queryOf({
                    agent: String(agent.id),
                    ranFrom: at.toISOString(),
                    ranTo: new Date(at.getTime() + step).toISOString(),
                    steps: 'yes',
                  })}`,
                )
              }}
            />
          </BarChart>
        </ResponsiveContainer>
      </div>
    </Panel>
  )
}
