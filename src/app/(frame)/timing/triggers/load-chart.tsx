'use client'
import type { ReactNode } from 'react'
import type { PoolLoad } from '@/service/forecast/pool-load'
import { clock, count, day } from '@/ui/format'
import { Row, Small, Spring } from '@/ui/parts/layout'

const [WIDTH, HEIGHT, LEFT, FLOOR] = [370, 112, 24, 92]

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
  const most = Math.max(load.capacity, Math.ceil(peak.others + peak.mine))
  const x = (i: number): number => LEFT + (i / rows.length) * (WIDTH - LEFT)
  const y = (slots: number): number => FLOOR - (slots / most) * (FLOOR - 6)
  return (
    <section aria-label={`Load of pool ${load.pool} on ${day(from, zone)}`}>
      <Row>
        <h2>Load of pool {load.pool}</h2>
        <Spring />
        <Small>
          {day(from, zone)}, of {count(load.capacity, 'slot')}
        </Small>
      </Row>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        width="100%"
        role="img"
        aria-label={`At most ${(peak.others + peak.mine).toFixed(1)} of ${load.capacity} slots, at ${clock(peak.at, zone)}`}
      >
        {rows.map((row, i) => (
          <g key={row.at}>
            <title>{`${clock(row.at, zone)}: ${row.others.toFixed(1)} by other triggers, ${row.mine.toFixed(1)} by this one`}</title>
            <rect
              x={x(i)}
              width={x(1) - x(0)}
              y={y(row.others)}
              height={FLOOR - y(row.others)}
              fill="var(--line-strong)"
            />
            <rect
              x={x(i)}
              width={x(1) - x(0)}
              y={y(row.others + row.mine)}
              height={y(row.others) - y(row.others + row.mine)}
              fill="var(--brass)"
            />
          </g>
        ))}
        <line
          x1={LEFT}
          x2={WIDTH}
          y1={y(load.capacity)}
          y2={y(load.capacity)}
          stroke="var(--mute)"
          strokeDasharray="1 3"
        />
        <path d={`M${LEFT} ${y(most)}V${FLOOR}H${WIDTH}`} fill="none" stroke="var(--mute)" />
        {[0, load.capacity].map((slots) => (
          <text key={slots} x={LEFT - 5} y={y(slots) + 4} textAnchor="end" fontSize="11" fill="var(--mute)">
            {slots}
          </text>
        ))}
        {[0, 6, 12, 18, 24].map((hour) => (
          <text
            key={hour}
            x={LEFT + (hour / 24) * (WIDTH - LEFT)}
            y={HEIGHT - 3}
            textAnchor={hour === 24 ? 'end' : 'middle'}
            fontSize="11"
            fill="var(--mute)"
          >
            {clock(from + hour * 3_600_000, zone)}
          </text>
        ))}
      </svg>
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
