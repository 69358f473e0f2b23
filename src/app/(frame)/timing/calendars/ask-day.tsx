'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import { parseIsoDay } from '@/core/calendar/days'
import type { DayRule } from '@/core/calendar/rule'
import type { Explanation } from '@/core/phrase/explain'
import { DateField } from '@/ui/parts/date-field'
import { Small, Stack } from '@/ui/parts/layout'
import { useExplanation, type Calculator } from './use-calculator'

const Answer = styled.div`
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 8px 10px;
  ul {
    border-left: 2px solid var(--line);
    padding-left: 9px;
    margin: 4px 0 0 1px;
    display: flex;
    flex-direction: column;
    gap: 4px;
  }
  li > p::before {
    display: inline-block;
    width: 15px;
    font-weight: 700;
  }
  li[data-in='true'] > p::before {
    content: '✓';
    color: var(--succeeded);
  }
  li[data-in='false'] > p::before {
    content: '–';
    color: var(--failed);
  }
`

/** Why a day is in the calendar or not: the whole answer, then each part of the rule with its own. */
export function AskDay({
  calculator,
  slug,
  rule,
  day,
  onDay,
}: {
  calculator: Calculator | null
  slug: string
  rule: DayRule
  day: string | undefined
  onDay: (day: string | null) => void
}): ReactNode {
  const { data } = useExplanation(calculator, slug, rule, day)
  return (
    <Stack $gap={8}>
      <h2>Ask about a day</h2>
      <DateField
        label="Day"
        hideLabel
        value={day ?? ''}
        onChange={(text) => (text === '' || parseIsoDay(text) !== undefined) && onDay(text || null)}
        width="150px"
      />
      {day && data && data.day === day ? (
        <Answer role="status">
          <p>
            <span className="mono">{day}</span>{' '}
            <b style={{ color: data.in ? 'var(--succeeded)' : 'var(--failed)' }}>
              {data.in ? 'is in it' : 'is not in it'}
            </b>
          </p>
          <p>{data.says}</p>
          {data.parts.length > 0 && <Parts parts={data.parts} />}
        </Answer>
      ) : (
        <Small>Choose a day here or in the year, and the rule says part by part why it is in or not.</Small>
      )}
    </Stack>
  )
}

const MOST_PARTS = 30

function Parts({ parts }: { parts: readonly Explanation[] }): ReactNode {
  return (
    <ul>
      {parts.slice(0, MOST_PARTS).map((part, i) => (
        <li key={i} data-in={part.in}>
          <p>
            <span className="visually-hidden">{part.in ? 'yes: ' : 'no: '}</span>
            {part.says}
          </p>
          {part.parts.length > 0 && <Parts parts={part.parts} />}
        </li>
      ))}
      {parts.length > MOST_PARTS && <Small>and {parts.length - MOST_PARTS} more parts</Small>}
    </ul>
  )
}
