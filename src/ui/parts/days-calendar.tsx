'use client'
import { today, type CalendarDate } from '@internationalized/date'
import { ChevronLeft, ChevronRight } from 'lucide-react'
import type { ReactNode } from 'react'
import {
  Button,
  Calendar,
  CalendarCell,
  CalendarGrid,
  CalendarGridBody,
  CalendarGridHeader,
  CalendarHeaderCell,
  Heading,
  I18nProvider,
  RangeCalendar,
} from 'react-aria-components'
import styled, { css } from 'styled-components'
import { useMe } from '../hooks/me'

const FACE = css`
  header {
    display: flex;
    align-items: center;
    justify-content: space-between;
    gap: 8px;
    margin-bottom: 6px;
  }
  h2 {
    font-size: 13px;
  }
  button {
    display: grid;
    place-items: center;
    width: 28px;
    height: 28px;
    border: 0;
    border-radius: 3px;
    background: transparent;
    cursor: pointer;
  }
  th {
    font-size: 12px;
    font-weight: 400;
    color: var(--mute);
  }
  td {
    padding: 1px 0;
  }
`
const Whole = styled(RangeCalendar)`
  ${FACE}
`
const WholeOfOne = styled(Calendar)`
  ${FACE}
`
const Cell = styled(CalendarCell)`
  display: grid;
  place-items: center;
  width: 30px;
  height: 28px;
  border-radius: 3px;
  cursor: pointer;
  &[data-outside-month] {
    display: none;
  }
  &[data-hovered] {
    background: var(--shelf);
  }
  &[data-selected] {
    background: var(--day-in);
    color: var(--day-in-ink);
    border-radius: 0;
  }
  &[data-selection-start] {
    border-radius: 3px 0 0 3px;
  }
  &[data-selection-end] {
    border-radius: 0 3px 3px 0;
  }
  &[data-focus-visible] {
    outline: 2px solid var(--brass);
  }
`

const MONTH = (
  <>
    <header>
      <Button slot="previous">
        <ChevronLeft size={16} aria-hidden="true" />
      </Button>
      <Heading />
      <Button slot="next">
        <ChevronRight size={16} aria-hidden="true" />
      </Button>
    </header>
    <CalendarGrid weekdayStyle="short">
      <CalendarGridHeader>{(name) => <CalendarHeaderCell>{name}</CalendarHeaderCell>}</CalendarGridHeader>
      <CalendarGridBody>{(date) => <Cell date={date} />}</CalendarGridBody>
    </CalendarGrid>
  </>
)

/** A month of days, weeks from Monday, of which a stretch is chosen. */
export function DaysCalendar({ onDays }: { onDays: (first: CalendarDate, last: CalendarDate) => void }): ReactNode {
  const { zone } = useMe()
  return (
    <I18nProvider locale="en-GB">
      <Whole
        aria-label="Days"
        autoFocus
        defaultFocusedValue={today(zone)}
        onChange={({ start, end }) => onDays(start as CalendarDate, end as CalendarDate)}
      >
        {MONTH}
      </Whole>
    </I18nProvider>
  )
}

/** A month of days, weeks from Monday, of which one is chosen. */
export function DayCalendar({
  value,
  onDay,
}: {
  value: CalendarDate | null
  onDay: (day: CalendarDate) => void
}): ReactNode {
  const { zone } = useMe()
  return (
    <I18nProvider locale="en-GB">
      <WholeOfOne
        aria-label="Day"
        autoFocus
        defaultValue={value}
        defaultFocusedValue={value ?? today(zone)}
        onChange={(day) => onDay(day as CalendarDate)}
      >
        {MONTH}
      </WholeOfOne>
    </I18nProvider>
  )
}
