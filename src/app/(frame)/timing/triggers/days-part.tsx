'use client'
import type { ReactNode } from 'react'
import type { DayRule } from '@/core/calendar/rule'
import type { CalendarRow } from '@/service/timing/calendars'
import { Button } from '@/ui/parts/button'
import { Stack } from '@/ui/parts/layout'
import { RuleActions, RuleEditor } from '../rule/rule-editor'

/** The days of a trigger that has some, as sentences. */
export function DaysPart({
  rule,
  calendars,
  onChange,
  onNone,
  none,
}: {
  rule: DayRule
  calendars: readonly CalendarRow[]
  onChange: (rule: DayRule) => void
  onNone: () => void
  none: string
}): ReactNode {
  return (
    <Stack $gap={6}>
      <RuleEditor rule={rule} onChange={onChange} calendars={calendars} />
      <RuleActions
        rule={rule}
        calendars={calendars}
        onChange={onChange}
        extra={
          <Button kind="quiet" onPress={onNone}>
            {none}
          </Button>
        }
      />
    </Stack>
  )
}
