'use client'
import type { ReactNode } from 'react'
import { Bar, BarChart, ReferenceLine, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts'
import type { PoolLoad } from '@/service/pool-load'
import { clock, count, day } from '@/ui/format'
import { Row, Small, Spring } from '@/ui/parts/layout'

/** Slots of the pool in use over the first day on which the trigger fires: by the other triggers, and by this one on top. */
export function LoadChart({ load, zone }: { load: PoolLoad; zone: string }): ReactNode {
  const from = Date.parse(load.fromAt)
  const rows = load.others.map((others, i) => ({
    at: from + i * load.bucketMinutes * 60_000,
    others: Math.round(others * 100) / 100,
    mine: Math.round((load.mine[i] ?? 0) * 100) / 100,
  }))
  const peak = rows.reduce(
    (best, row) => (row.others + row.mine > best.others + best.mine ? row : best),
    rows[0] as Row,
  )
  return (
    <section aria-label={`Load of pool ${load.pool} on ${day(from, zone)}`}>
      <Row>
        <h2>Load of pool {load.pool}</h2>
        <Spring />
        <Small>
          {day(from, zone)}, of {count(load.capacity, 'slot')}
        </Small>
      </Row>
      <div style={{ height: 112 }}>
        <ResponsiveContainer width="100%" height="100%" initialDimension={{ width: 370, height: 112 }}>
          <BarChart data={rows} margin={{ top: 6, right: 0, bottom: 0, left: 0 }} barCategoryGap={0}>
            <XAxis
              dataKey="at"
              type="number"
              domain={[from, from + 86_400_000]}
              ticks={[0, 6, 12, 18, 24].map((h) => from + h * 3_600_000)}
              tickFormatter={(at: number) => clock(at, zone)}
              tickSize={4}
              fontSize={11}
              stroke="var(--mute)"
            />
            <YAxis
              width={26}
              fontSize={11}
              stroke="var(--mute)"
              allowDecimals={false}
              domain={[0, (most: number) => Math.max(load.capacity, Math.ceil(most))]}
            />
            <ReferenceLine y={load.capacity} stroke="var(--mute)" strokeDasharray="1 3" />
            <Tooltip
              cursor={{ fill: 'var(--shelf)' }}
              isAnimationActive={false}
              labelFormatter={(at) => clock(Number(at), zone)}
              contentStyle={{ background: 'var(--sheet)', border: '1px solid var(--line-strong)', fontSize: 12 }}
            />
            <Bar
              dataKey="others"
              name="other triggers"
              stackId="load"
              fill="var(--line-strong)"
              isAnimationActive={false}
            />
            <Bar dataKey="mine" name="this trigger" stackId="load" fill="var(--brass)" isAnimationActive={false} />
          </BarChart>
        </ResponsiveContainer>
      </div>
      <Small>
        Brass: this trigger; grey: the others, by the usual lengths of their jobs. The most is{' '}
        {(peak.others + peak.mine).toFixed(1)} slots at {clock(peak.at, zone)}
        {peak.others + peak.mine > load.capacity && ': more than there are, so runs would wait'}.
      </Small>
    </section>
  )
}

interface Row {
  readonly at: number
  readonly others: number
  readonly mine: number
}
