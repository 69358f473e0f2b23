'use client'
import { useQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import type { ReactNode } from 'react'
import { Bar, BarChart, Cell, ReferenceLine, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts'
import type { EarlierRun, RunFull } from '@/service/runs/run-page'
import { api } from '@/ui/api'
import { clock, day, duration } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { ButtonLink } from '@/ui/parts/button'
import { Mute, Row, Small, Spring, Stack } from '@/ui/parts/layout'
import { ACROSS, BESIDE_POINTER, UP } from '@/ui/parts/chart-look'

/** How long this job took before; each bar leads to its run. */
export function Earlier({ run }: { run: RunFull }): ReactNode {
  const { zone } = useMe()
  const router = useRouter()
  const { data = [] } = useQuery({
    queryKey: ['run', run.id, 'earlier'],
    queryFn: () => api.get<EarlierRun[]>(`/runs/${run.id}/earlier`),
  })
  if (data.length === 0) return <Mute style={{ padding: 16 }}>This job has not run to an end before.</Mute>
  const bars = data.map((r) => ({
    ...r,
    minutes: r.durationMs / 60_000,
    label: `${day(r.startedAt, zone)} ${clock(r.startedAt, zone)}`,
  }))
  return (
    <Stack style={{ padding: '10px 14px', flex: 1 }}>
      <Row>
        <Small>
          Length of the last {data.length} runs of {run.title}, oldest left
        </Small>
        <Spring />
        <ButtonLink href={`/runs?job=${run.jobId}`}>All its runs</ButtonLink>
      </Row>
      <div style={{ flex: 1, minHeight: 190 }}>
        <ResponsiveContainer width="100%" height="100%">
          <BarChart data={bars} margin={{ top: 8, right: 60, bottom: 0, left: 0 }} barCategoryGap={2}>
            <XAxis dataKey="label" {...ACROSS} interval="preserveStartEnd" minTickGap={60} />
            <YAxis {...UP} width={56} tickFormatter={(minutes: number) => duration(minutes * 60_000)} />
            <Tooltip
              cursor={{ fill: 'var(--shelf)' }}
              contentStyle={{ ...BESIDE_POINTER, borderRadius: 3 }}
              formatter={(_value, _name, item) => [
                `${duration((item.payload as EarlierRun).durationMs)}, ${(item.payload as EarlierRun).state}`,
                `#${(item.payload as EarlierRun).id}`,
              ]}
            />
            {run.usualMs !== null && (
              <ReferenceLine
                y={run.usualMs / 60_000}
                stroke="var(--brass)"
                strokeWidth={2}
                label={{ value: 'usual', position: 'right', fontSize: 11.5, fill: 'var(--brass-ink)' }}
              />
            )}
            <Bar
              dataKey="minutes"
              isAnimationActive={false}
              cursor="pointer"
              onClick={(bar) => router.push(`/runs/${(bar.payload as EarlierRun).id}`)}
            >
              {bars.map((bar) => (
                <Cell
                  key={bar.id}
                  fill={
                    bar.state === 'succeeded'
                      ? 'var(--succeeded)'
                      : bar.state === 'failed'
                        ? 'var(--failed)'
                        : bar.state === 'lost'
                          ? 'var(--lost)'
                          : 'var(--skipped)'
                  }
                  stroke={bar.id === run.id ? 'var(--ink)' : 'none'}
                  strokeWidth={2}
                />
              ))}
            </Bar>
          </BarChart>
        </ResponsiveContainer>
      </div>
    </Stack>
  )
}
