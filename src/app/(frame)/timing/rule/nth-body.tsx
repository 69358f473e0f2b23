'use client'
import { useState, type ReactNode } from 'react'
import { nthFault, type DayRule, type NthRule } from '@/core/calendar/rule'
import { MONTH_NAMES, ordinal } from '@/core/phrase/words'
import { typedIn } from '@/ui/hooks/following'
import { Row, Stack } from '@/ui/parts/layout'
import { NumberField } from '@/ui/parts/number-field'
import { Select } from '@/ui/parts/select'
import { Inner } from './rule-look'

const ORDINALS = [1, 2, 3, 4, 5, -1, -2, -3]
const OTHER = 'other'

/** Which one of each week, month, quarter or year; any number, counted from the beginning or from the end. */
export function NthBody({
  nth,
  onChange,
  inner,
}: {
  nth: NthRule
  onChange: (nth: NthRule) => void
  inner: (rule: DayRule, step: string, change: (rule: DayRule) => void) => ReactNode
}): ReactNode {
  // Any other is written as a number, counted from the beginning or from the end.
  const [isOther, setOther] = useState(!ORDINALS.includes(nth.n))
  const count = typedIn(nth.n) === undefined ? Math.abs(nth.n) : nth.n
  const isFromEnd = nth.n < 0
  const isLong = nth.in === 'quarter' || nth.in === 'year'
  return (
    <Stack $gap={6}>
      <Row $gap={6} $wrap>
        <span>the</span>
        <Select
          label="Which"
          hideLabel
          value={isOther ? OTHER : String(nth.n)}
          onChange={(n) => {
            setOther(n === OTHER)
            if (n !== OTHER) onChange({ ...nth, n: Number(n) })
          }}
          choices={[...ORDINALS.map((n) => ({ id: String(n), title: ordinal(n) })), { id: OTHER, title: 'another …' }]}
          width="104px"
        />
        {isOther && (
          <>
            <span>no.</span>
            <NumberField
              label="Number"
              value={count}
              onChange={(n) => onChange({ ...nth, n: typedIn(n) === undefined && isFromEnd ? -n : n })}
              error={nthFault(nth.n, nth.in)}
              width="56px"
            />
            <Select
              label="Counted from"
              hideLabel
              value={isFromEnd ? 'end' : 'beginning'}
              onChange={(from) =>
                typedIn(nth.n) === undefined &&
                onChange({ ...nth, n: from === 'end' ? -Math.abs(nth.n) : Math.abs(nth.n) })
              }
              choices={[
                { id: 'beginning', title: 'from the beginning' },
                { id: 'end', title: 'from the end' },
              ]}
              width="144px"
            />
          </>
        )}
        <span>in each</span>
        <Select
          label="Period"
          hideLabel
          value={nth.in}
          onChange={(unit) => onChange({ n: nth.n, of: nth.of, in: unit as NthRule['in'] })}
          choices={(['week', 'month', 'quarter', 'year'] as const).map((id) => ({ id, title: id }))}
          width="96px"
        />
        {isLong && (
          <>
            <span>counted from</span>
            <Select
              label="First month"
              hideLabel
              value={String(nth.yearStart ?? 1)}
              onChange={(month) => onChange({ ...nth, yearStart: Number(month) })}
              choices={MONTH_NAMES.map((title, i) => ({ id: String(i + 1), title }))}
              width="112px"
            />
          </>
        )}
        <span>of</span>
      </Row>
      <Inner>{inner(nth.of, 'nth.of', (of) => onChange({ ...nth, of }))}</Inner>
    </Stack>
  )
}
