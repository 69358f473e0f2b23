'use client'
import { parseDate, parseDateTime, type CalendarDate, type CalendarDateTime } from '@internationalized/date'
import { CalendarDays } from 'lucide-react'
import { useMemo, useRef, useState, type ReactNode } from 'react'
import {
  Button as AriaButton,
  DateField as AriaDateField,
  DateInput,
  DateSegment,
  I18nProvider,
  Label,
} from 'react-aria-components'
import styled from 'styled-components'
import { useMe } from '../hooks/me'
import { usePopped } from '../hooks/popped'
import type { DayPopped } from './day-popped'
import { Fault, Group, Hint } from './field-look'
import { Said, useReading } from './reading'

// Only whoever picks a day needs the calendar.
const fetchCalendar = (): Promise<typeof DayPopped> => import('./day-popped').then((module) => module.DayPopped)

/** How a day is written in fields: English of places that write it so. */
const LOCALES = { iso: 'en-SE', 'day-first': 'en-GB', 'month-first': 'en-US' } as const

const Box = styled.div`
  display: flex;
  align-items: center;
  min-height: 28px;
  padding: 0 2px 0 8px;
  border: 1px solid var(--line-strong);
  border-radius: 3px;
  background: var(--sheet);
  &[data-invalid='true'] {
    border-color: var(--failed);
  }
  &:focus-within {
    outline: 2px solid var(--brass);
  }
`
const Segments = styled(DateInput)`
  display: flex;
  flex: 1;
  font-variant-numeric: tabular-nums;
  white-space: pre;
`
const Segment = styled(DateSegment)`
  padding: 0 1px;
  line-height: 24px;
  border-radius: 2px;
  outline: none;
  &[role='spinbutton'] {
    min-width: 24px;
    text-align: center;
  }
  &[data-placeholder] {
    color: var(--mute);
  }
  &[data-focused] {
    background: var(--ink);
    color: var(--sheet);
  }
`
const Pick = styled(AriaButton)`
  all: unset;
  display: grid;
  place-items: center;
  width: 24px;
  height: 24px;
  color: var(--mute);
  cursor: pointer;
  &[data-focus-visible] {
    outline: 2px solid var(--brass);
  }
`

interface Props {
  readonly label: string
  /** `2027-03-09`, or empty; with `isTimed` `2027-03-09T14:30`. Anything else stands as no day. */
  readonly value: string
  /** A whole day, an empty text, or what is there of one (`2027-03-??`), which no schema takes. */
  readonly onChange: (value: string) => void
  readonly error?: string | undefined
  readonly hint?: string | undefined
  readonly hideLabel?: boolean
  readonly width?: string
  readonly isTimed?: boolean
}

const HALF = 'Give the whole of it, or empty it.'

/** A day, or with `isTimed` a minute of one, written part by part in the person’s own order, or picked from a small calendar. */
export function DateField({
  label,
  value,
  onChange,
  error,
  hint,
  hideLabel,
  width,
  isTimed = false,
}: Props): ReactNode {
  const { dateFormat = 'iso' } = useMe()
  const isRead = useReading()
  const box = useRef<HTMLDivElement>(null)
  const [isHalf, setHalf] = useState(false)
  /** What stood there before a part was taken away. */
  const [whole, setWhole] = useState<CalendarDate | CalendarDateTime | null>(null)
  const read = useMemo(() => readDate(value, isTimed), [value, isTimed])
  const { opener, part: Picked, close } = usePopped(fetchCalendar)
  if (isRead)
    return (
      <Said label={label} hideLabel={hideLabel}>
        {value.replace('T', ' ')}
      </Said>
    )
  // Parts that are taken away are told to nobody by the field itself: what is there is read once it is drawn.
  const look = (): void => {
    const parts = [...(box.current?.querySelectorAll<HTMLElement>('[role="spinbutton"]') ?? [])]
    const there = parts.filter((part) => !part.hasAttribute('data-placeholder')).length
    const now = there === 0 ? '' : writtenIn(parts, isTimed)
    // 00 may stand there while a month is being typed.
    const half = there > 0 && readDate(now, isTimed) === null
    if (half && !isHalf) setWhole(read)
    setHalf(half)
    if (now !== value) onChange(now)
  }
  const fault = isHalf ? HALF : error
  return (
    <I18nProvider locale={LOCALES[dateFormat]}>
      <AriaDateField<CalendarDate | CalendarDateTime>
        // While it is half there, the parts that are there stay as they are.
        value={isHalf ? whole : read}
        onChange={(next) => {
          if (next === null) return
          setHalf(false)
          onChange(next.toString().slice(0, isTimed ? 16 : 10))
        }}
        granularity={isTimed ? 'minute' : 'day'}
        hourCycle={24}
        shouldForceLeadingZeros
        isInvalid={fault !== undefined}
        validationBehavior="aria"
        aria-label={hideLabel ? label : undefined!}
        style={width ? { width } : {}}
      >
        <Group>
          {!hideLabel && <Label>{label}</Label>}
          <Box ref={box} data-invalid={fault !== undefined} onKeyUp={() => setTimeout(look)}>
            <Segments>{(segment) => <Segment segment={segment} />}</Segments>
            <Pick {...opener} aria-label={`Pick ${label.toLowerCase()} from a calendar`}>
              <CalendarDays size={14} aria-hidden="true" />
            </Pick>
          </Box>
          {hint && <Hint slot="description">{hint}</Hint>}
          <Fault>{fault}</Fault>
        </Group>
      </AriaDateField>
      {Picked && (
        <Picked
          label={label}
          button={opener.ref}
          value={readDate(value.slice(0, 10), false) as CalendarDate | null}
          onDay={(day) => {
            setHalf(false)
            onChange(isTimed ? `${day.toString()}T${value.slice(11, 16) || '00:00'}` : day.toString())
          }}
          onClose={close}
        />
      )}
    </I18nProvider>
  )
}

function readDate(text: string, isTimed: boolean): CalendarDate | CalendarDateTime | null {
  try {
    return isTimed ? parseDateTime(text) : parseDate(text)
  } catch {
    return null
  }
}

/** What stands in the parts, in the order of ISO 8601, with ?? for what is not there: kept, and refused wherever a day is asked for. */
function writtenIn(parts: readonly HTMLElement[], isTimed: boolean): string {
  const of = (type: string): string => {
    const part = parts.find((each) => each.dataset.type === type)
    return part && !part.hasAttribute('data-placeholder') ? (part.textContent ?? '??') : '??'
  }
  return `${of('year').padStart(4, '0')}-${of('month')}-${of('day')}${isTimed ? `T${of('hour')}:${of('minute')}` : ''}`
}
