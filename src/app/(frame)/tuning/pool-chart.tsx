'use client'
import { useMemo, type ReactNode } from 'react'
import type { DemandPicture } from '@/core/tuning/picture'
import type { NightView } from '@/service/forecast/nights'
import { Panel, Row, Spring } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { poolTitle } from './heat'
import { Legend, LoadChart } from './load-chart'
import { seriesOf } from './series'

/** The pool whose peak is the most another, in shares of its slots; without a change the fullest. */
export function mostChanged(before: DemandPicture, after: DemandPicture): string {
  const peaks = new Map(after.pools.map(({ id, peak }) => [id, peak]))
  const weight = ({ id, peak, slots }: DemandPicture['pools'][number]): number =>
    1000 * Math.abs(peak - (peaks.get(id) ?? peak)) + (100 * peak) / slots
  return [...before.pools].sort((a, b) => weight(b) / b.slots - weight(a) / a.slots)[0]?.id ?? ''
}

/** One pool over the stretch, as it stands and with changes. */
export function PoolChart({
  pool,
  onPool,
  before,
  after,
  bound,
}: {
  pool: string
  onPool: (pool: string) => void
  before: NightView
  /** null: nothing is changed. */
  after: NightView | null
  /** No starts within these windows bring its peak below this. */
  bound?: number | undefined
}): ReactNode {
  const { demand, forecast } = after ?? before
  const points = useMemo(() => seriesOf(demand, forecast.load, pool), [demand, forecast, pool])
  const was = useMemo(() => seriesOf(before.demand, before.forecast.load, pool), [before, pool])
  const { slots = 1 } = demand.pools.find(({ id }) => id === pool) ?? {}
  return (
    <Panel style={{ padding: '8px 0 4px', flex: 'none' }}>
      <Row $wrap style={{ padding: '0 12px' }}>
        <h2>Slots in demand</h2>
        <Select
          label="Pool"
          hideLabel
          value={pool}
          onChange={onPool}
          choices={demand.pools.map(({ id }) => ({ id, title: poolTitle(id) }))}
          width="150px"
        />
        <Spring />
        <Legend isEdited={after !== null} />
      </Row>
      <LoadChart points={points} before={after ? was : undefined} capacity={slots} bound={bound} height={190} />
    </Panel>
  )
}
