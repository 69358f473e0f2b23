'use client'
import { useQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import type { ReactNode } from 'react'
import { Bar, ComposedChart, Line, ReferenceLine, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts'
import { ALLOWED_WORDS } from '@/core/fleet/allowance'
import { HOUR_MS } from '@/core/fleet/use'
import type { AllowanceRow } from '@/service/fleet/allowances'
import type { Use } from '@/service/runs/use'
import { api, queryOf } from '@/ui/api'
import { clock, day } from '@/ui/format'
import { useAddress } from '@/ui/hooks/address'
import { useMe } from '@/ui/hooks/me'
import { ACROSS, BESIDE_POINTER, UP } from '@/ui/parts/chart-look'
import { Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'

const STRETCHES = { '2': 'last two days', '14': 'last two weeks', '90': 'last 90 days', '400': 'all that is kept' }

/** Use by the hour against what is allowed; a mark leads to the runs of its hour. */
export function UseChart({ row }: { row: Pick<AllowanceRow, 'what' | 'area' | 'areaId' | 'allowed'> }): ReactNode {
  const { zone } = useMe()
  const router = useRouter()
  const { values, set } = useAddress()
  const days = values.days !== undefined && values.days in STRETCHES ? values.days : '14'
  const { what, area, areaId, allowed } = row
  const { data, error } = useQuery({
    // An hour changes slowly: not with each change of the fleet.
    queryKey: ['allowance-use', what, areaId, days],
    queryFn: () =>
      api.get<Use>(`/allowances/use${queryOf({ what, days, ...(areaId === null ? {} : { areaId: String(areaId) }) })}`),
  })
  const hours = (data?.hours ?? []).map((hour) => ({
    ...hour,
    mean: Math.round(hour.mean * 10) / 10,
    label: `${day(hour.at, zone)} ${clock(hour.at, zone)}`,
  }))
  const most = Math.max(1, allowed ?? 0, ...hours.map(({ peak }) => peak))
  if (error) return <Trouble error={error} />
  return (
    <div style={{ padding: '10px 12px 0' }}>
      <Row>
        <h2>
          {area ?? 'Everywhere'}: {ALLOWED_WORDS[what]}
        </h2>
        <Small>
          the most at once in each hour, and the mean as a line
          {allowed !== null && `; ${allowed} allowed`}
        </Small>
        <Spring />
        <Select
          label="Over"
          hideLabel
          value={days}
          onChange={(chosen) => set({ days: chosen === '14' ? null : chosen }, 'replace')}
          choices={Object.entries(STRETCHES).map(([id, title]) => ({ id, title }))}
          width="150px"
        />
      </Row>
      <div style={{ height: 190 }}>
        <ResponsiveContainer width="100%" height="100%">
          <ComposedChart data={hours} margin={{ top: 8, right: 4, bottom: 0, left: 0 }} barCategoryGap={0}>
            <XAxis dataKey="label" {...ACROSS} minTickGap={60} />
            <YAxis {...UP} width={36} domain={[0, most]} allowDecimals={false} />
            <Tooltip cursor={{ fill: 'var(--shelf)' }} contentStyle={BESIDE_POINTER} />
            {allowed !== null && <ReferenceLine y={allowed} stroke="var(--failed)" strokeDasharray="4 3" />}
            <Bar
              dataKey="peak"
              name="most at once"
              fill="var(--running)"
              isAnimationActive={false}
              cursor="pointer"
              onClick={(bar) => {
                const { at } = bar.payload as { at: number }
                router.push(
                  `/runs${queryOf({
                    ranFrom: new Date(at).toISOString(),
                    ranTo: new Date(at + HOUR_MS).toISOString(),
                    took: what,
                    steps: 'yes',
                    ...(areaId === null ? {} : { area: String(areaId) }),
                  })}`,
                )
              }}
            />
            <Line
              dataKey="mean"
              name="mean"
              stroke="var(--brass)"
              strokeWidth={1.5}
              dot={false}
              isAnimationActive={false}
              type="step"
            />
          </ComposedChart>
        </ResponsiveContainer>
      </div>
    </div>
  )
}
