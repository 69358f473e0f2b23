'use client'
import type { ReactNode } from 'react'
import type { DayRule } from '@/core/calendar/rule'
import type { CalendarRow } from '@/service/calendars'
import { Button } from '@/ui/parts/button'
import { Small, Stack } from '@/ui/parts/layout'
import { Part, Sentence, Word } from '@/ui/parts/sentence'
import { AddPart } from '../rule/add-part'
import { RuleActions, RuleEditor } from '../rule/rule-editor'
import type { SectionProps } from './trigger-form'

/** On which days it may fire, and on which never. */
export function DaysSection({
  definition,
  define,
  calendars,
}: SectionProps & { calendars: readonly CalendarRow[] }): ReactNode {
  const { on, notOn } = definition
  return (
    <Part aria-label="Days">
      <h2>On</h2>
      <Stack $gap={10}>
        {on ? (
          <Days
            rule={on}
            calendars={calendars}
            onChange={(rule) => define({ on: rule })}
            onNone={() => define({ on: undefined })}
            none="On every day"
          />
        ) : (
          <Sentence>
            <Word>every day</Word>
            <AddPart label="Only on certain days" calendars={calendars} onAdd={(rule) => define({ on: rule })} />
          </Sentence>
        )}
        {notOn ? (
          <>
            <b>Never on</b>
            <Days
              rule={notOn}
              calendars={calendars}
              onChange={(rule) => define({ notOn: rule })}
              onNone={() => define({ notOn: undefined })}
              none="Without exception"
            />
          </>
        ) : (
          <Sentence>
            <Small style={{ lineHeight: '26px' }}>without exception</Small>
            <AddPart label="Never on …" calendars={calendars} onAdd={(rule) => define({ notOn: rule })} />
          </Sentence>
        )}
      </Stack>
    </Part>
  )
}

function Days({
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
