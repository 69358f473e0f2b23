'use client'
import { useQuery } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import { ToggleButton } from 'react-aria-components'
import styled from 'styled-components'
import { parseIsoDay, WEEKDAYS } from '@/core/calendar/days'
import { HOLIDAY_TYPES, type DateEntry, type DayRule, type HolidayType } from '@/core/calendar/rule'
import { sayDays } from '@/core/phrase/say'
import { MONTH_NAMES } from '@/core/phrase/words'
import { parseRecurrence } from '@/core/calendar/recurrence-parse'
import { api } from '@/ui/api'
import { useFollowing } from '@/ui/hooks/following'
import { Button } from '@/ui/parts/button'
import { DateField } from '@/ui/parts/date-field'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Select } from '@/ui/parts/select'
import { Row, Small, Stack } from '@/ui/parts/layout'
import { useReading } from '@/ui/parts/reading'

type Of<K extends string> = Extract<DayRule, Record<K, unknown>>
interface Props<K extends string> {
  readonly rule: Of<K>
  readonly onChange: (rule: DayRule) => void
}

const Toggle = styled(ToggleButton)`
  min-width: 34px;
  min-height: 26px;
  padding: 2px 6px;
  border: 1px solid var(--line-strong);
  border-radius: 3px;
  background: var(--sheet);
  cursor: pointer;
  &[data-selected] {
    background: var(--ink);
    border-color: var(--ink);
    color: var(--sheet);
    font-weight: 600;
  }
`
const SHORT = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']

export function WeekdaysField({ rule, onChange }: Props<'weekdays'>): ReactNode {
  const isRead = useReading()
  if (isRead) return <b>{WEEKDAYS.flatMap((code, i) => (rule.weekdays.includes(code) ? SHORT[i] : [])).join(', ')}</b>
  return (
    <Row $gap={3} $wrap role="group" aria-label="Weekdays">
      {WEEKDAYS.map((code, i) => (
        <Toggle
          key={code}
          isSelected={rule.weekdays.includes(code)}
          onChange={(on) => {
            const next = WEEKDAYS.filter((each) => (each === code ? on : rule.weekdays.includes(each)))
            if (next.length > 0) onChange({ weekdays: next })
          }}
        >
          {SHORT[i]}
        </Toggle>
      ))}
    </Row>
  )
}

const dateOf = (entry: DateEntry): string => (typeof entry === 'string' ? entry : entry.date)
const MOST_SHOWN = 5

export function DatesField({ rule, onChange }: Props<'dates'>): ReactNode {
  const isRead = useReading()
  const [isWhole, setWhole] = useState(false)
  const [date, setDate] = useState('')
  const [title, setTitle] = useState('')
  const sorted = [...rule.dates].sort((a, b) => (dateOf(a) < dateOf(b) ? -1 : 1))
  const shown = isWhole || isRead ? sorted : sorted.slice(-MOST_SHOWN)
  const add = (): void => {
    onChange({ dates: [...rule.dates.filter((entry) => dateOf(entry) !== date), title ? { date, title } : date] })
    setDate('')
    setTitle('')
  }
  return (
    <Stack $gap={3}>
      {sorted.length > shown.length && (
        <Button kind="quiet" onPress={() => setWhole(true)}>
          Show the {sorted.length - shown.length} before
        </Button>
      )}
      {shown.map((entry) => (
        <Row key={dateOf(entry)} $gap={8}>
          <span className="mono">{dateOf(entry)}</span>
          <Small style={{ flex: 1 }}>{typeof entry === 'string' ? '' : entry.title}</Small>
          <Button
            kind="quiet"
            aria-label={`Take ${dateOf(entry)} away`}
            onPress={() => onChange({ dates: rule.dates.filter((each) => each !== entry) })}
          >
            ×
          </Button>
        </Row>
      ))}
      {!isRead && (
        <Row $gap={6} $top>
          <DateField label="Another date" hideLabel value={date} onChange={setDate} width="142px" />
          <TextField
            label="Its name"
            hideLabel
            value={title}
            onChange={setTitle}
            placeholder="name, if any"
            width="110px"
          />
          <Button onPress={add} isDisabled={parseIsoDay(date) === undefined}>
            Add
          </Button>
        </Row>
      )}
    </Stack>
  )
}

export function BetweenField({ rule, onChange }: Props<'between'>): ReactNode {
  const [from, to] = rule.between
  const place = (text: string, set: (text: string) => void, label: string): ReactNode => (
    <Row $gap={4}>
      <Select
        label={`${label}, day`}
        hideLabel
        value={text.slice(3)}
        onChange={(day) => set(`${text.slice(0, 3)}${day}`)}
        choices={Array.from({ length: 31 }, (_, i) => ({ id: String(i + 1).padStart(2, '0'), title: String(i + 1) }))}
        width="64px"
      />
      <Select
        label={`${label}, month`}
        hideLabel
        value={text.slice(0, 2)}
        onChange={(month) => set(`${month}-${text.slice(3)}`)}
        choices={MONTH_NAMES.map((title, i) => ({ id: String(i + 1).padStart(2, '0'), title }))}
        width="112px"
      />
    </Row>
  )
  return (
    <Row $gap={6} $wrap>
      <span>from</span>
      {place(from, (text) => onChange({ between: [text, to] }), 'From')}
      <span>to</span>
      {place(to, (text) => onChange({ between: [from, text] }), 'To')}
    </Row>
  )
}

interface Place {
  readonly code: string
  readonly title: string
}
const WHOLE = 'whole'

export function HolidaysField({ rule, onChange }: Props<'holidays'>): ReactNode {
  const { country, region, types = ['public'] } = rule.holidays
  const { data: countries = [] } = useQuery({
    queryKey: ['countries'],
    queryFn: () => api.get<Place[]>('/holidays/countries'),
    staleTime: Infinity,
  })
  const { data: regions = [] } = useQuery({
    queryKey: ['regions', country],
    queryFn: () => api.get<Place[]>(`/holidays/regions?country=${country.toUpperCase()}`),
    staleTime: Infinity,
  })
  const set = (change: Partial<typeof rule.holidays>): void => {
    const { country: c, region: r, types: t = ['public'] } = { country, region, types, ...change }
    onChange({ holidays: { country: c, ...(r ? { region: r } : {}), ...(t.join() === 'public' ? {} : { types: t }) } })
  }
  return (
    <Stack $gap={4}>
      <Row $gap={6} $wrap>
        <Select
          label="Country"
          hideLabel
          value={country.toUpperCase()}
          onChange={(code) => onChange({ holidays: { country: code } })}
          choices={countries.map(({ code, title }) => ({ id: code, title }))}
          width="150px"
        />
        {regions.length > 0 && (
          <Select
            label="Region"
            hideLabel
            value={region?.toUpperCase() ?? WHOLE}
            onChange={(code) => set({ region: code === WHOLE ? undefined : code })}
            choices={[
              { id: WHOLE, title: 'the whole country' },
              ...regions.map(({ code, title }) => ({ id: code, title })),
            ]}
            width="150px"
          />
        )}
      </Row>
      <Row $gap={10} $wrap>
        {HOLIDAY_TYPES.map((type) => (
          <Checkbox
            key={type}
            isSelected={types.includes(type)}
            onChange={(on) => {
              const next = HOLIDAY_TYPES.filter((each): each is HolidayType =>
                each === type ? on : types.includes(each),
              )
              if (next.length > 0) set({ types: next })
            }}
          >
            {type}
          </Checkbox>
        ))}
      </Row>
    </Stack>
  )
}

export function RecurrenceField({ rule, onChange }: Props<'rrule'>): ReactNode {
  const [text, setText] = useFollowing(rule.rrule, String)
  const parsed = parseRecurrence(text, 'days')
  return (
    <Stack $gap={4}>
      <TextField
        label="Recurrence"
        mono
        value={text}
        onChange={(next) => {
          setText(next, next)
          onChange({ ...rule, rrule: next })
        }}
        error={parsed.ok ? undefined : parsed.fault}
      />
      <Row $gap={6} $top>
        <DateField
          label="counted from"
          value={rule.start}
          onChange={(start) => onChange({ ...rule, start })}
          width="142px"
        />
      </Row>
      {parsed.ok && parseIsoDay(rule.start) !== undefined && (
        <Small>{sayDays({ rrule: text, start: rule.start }).slice(1, -1)}</Small>
      )}
    </Stack>
  )
}
