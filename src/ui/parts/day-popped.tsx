'use client'
import type { CalendarDate } from '@internationalized/date'
import type { ReactNode, RefObject } from 'react'
import { DayCalendar } from './days-calendar'
import { Popped } from './popped'

/** A small calendar to pick a day from, at the button of a date field. */
export function DayPopped({
  label,
  button,
  value,
  onDay,
  onClose,
}: {
  label: string
  button: RefObject<HTMLButtonElement | null>
  value: CalendarDate | null
  onDay: (day: CalendarDate) => void
  onClose: () => void
}): ReactNode {
  return (
    <Popped label={label} button={button} onClose={onClose} placement="bottom end">
      <DayCalendar
        value={value}
        onDay={(day) => {
          onClose()
          onDay(day)
        }}
      />
    </Popped>
  )
}
