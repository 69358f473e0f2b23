'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { DayRule, RollRule, ShiftRule } from '@/core/calendar/rule'
import { sayDays } from '@/core/phrase/say'
import { Button } from '@/ui/parts/button'
import { Select } from '@/ui/parts/select'
import { TextField } from '@/ui/parts/fields'
import { Row, Spring, Stack } from '@/ui/parts/layout'
import { useReading } from '@/ui/parts/reading'
import { MenuButton } from '@/ui/parts/menu-button'
import { AddPart } from './add-part'
import type { NamedBySlug } from './add-part-box'
import { BetweenField, DatesField, HolidaysField, RecurrenceField, WeekdaysField } from './leaf-fields'
import { NthBody } from './nth-body'
import { Inner } from './rule-look'

const Card = styled.div<{ $depth: number }>`
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 8px 10px;
  background: ${(p) => (p.$depth % 2 === 0 ? 'var(--sheet)' : 'var(--paper)')};
  display: flex;
  flex-direction: column;
  gap: 6px;
  min-width: 0;
`
const Head = styled.div`
  display: flex;
  align-items: baseline;
  gap: 6px;
  b {
    font-weight: 600;
  }
  small {
    color: var(--mute);
    font-size: 12px;
    white-space: nowrap;
  }
`

interface Props {
  readonly rule: DayRule
  readonly onChange: (rule: DayRule) => void
  /** Undefined: it cannot be taken away. */
  readonly onRemove?: (() => void) | undefined
  readonly calendars: readonly NamedBySlug[]
  /** Days of each part in the year shown, by its path. */
  readonly counts?: Readonly<Record<string, number>>
  readonly path?: string
  readonly depth?: number
  /** What the part does in its parent: “Take away”, “Only if also in”. */
  readonly role?: string
}

/** A day rule as nested sentences that can be changed without knowing its format; each part with its count. */
export function RuleEditor({
  rule,
  onChange,
  onRemove,
  calendars,
  counts,
  path = '',
  depth = 0,
  role,
}: Props): ReactNode {
  const names = calendars.map(({ slug, title }) => ({ id: slug, title }))
  const n = counts?.[path]
  const inner = (
    each: DayRule,
    step: string,
    change: (rule: DayRule) => void,
    more: Partial<Props> = {},
  ): ReactNode => (
    <RuleEditor
      key={step}
      rule={each}
      onChange={change}
      calendars={calendars}
      {...(counts ? { counts } : {})}
      path={path === '' ? step : `${path}.${step}`}
      depth={depth + 1}
      {...more}
    />
  )
  const body = bodyOf({ rule, onChange, calendars, inner })
  return (
    <Card $depth={depth} role="group" aria-label={`${role ?? 'Days'}: ${said(rule, names).slice(0, 120)}`}>
      <Head>
        {role && <b>{role}</b>}
        <span style={{ flex: 1 }}>{titleOf(rule, role)}</span>
        {n !== undefined && <small>{n === 1 ? 'one day' : `${n} days`}</small>}
        {onRemove && (
          <Button
            kind="quiet"
            aria-label={`Remove ${role ?? 'this part'}: ${said(rule, names).slice(0, 60)}`}
            onPress={onRemove}
          >
            ×
          </Button>
        )}
      </Head>
      {body}
    </Card>
  )
}

/** The words that begin a part’s sentence; its fields and inner parts end it. */
function titleOf(rule: DayRule, role: string | undefined): string {
  const kind = Object.keys(rule)[0] as string
  const words: Record<string, string> = {
    weekdays: 'weekdays',
    dates: 'single dates',
    between: 'a stretch of each year',
    rrule: 'a recurrence',
    holidays: 'holidays',
    nth: 'one of each period',
    any: 'the days of any of these',
    all: 'the days that are in all of these',
    not: 'every day except',
    shift: 'moved days',
    roll: 'days that move if they fall badly',
    calendar: 'the calendar',
  }
  const text = words[kind] ?? kind
  return role ? text : text[0]?.toUpperCase() + text.slice(1)
}

interface BodyProps {
  readonly rule: DayRule
  readonly onChange: (rule: DayRule) => void
  readonly calendars: readonly NamedBySlug[]
  readonly inner: (rule: DayRule, step: string, change: (rule: DayRule) => void, more?: Partial<Props>) => ReactNode
}

function bodyOf({ rule, onChange, calendars, inner }: BodyProps): ReactNode {
  if ('weekdays' in rule) return <WeekdaysField rule={rule} onChange={onChange} />
  if ('dates' in rule) return <DatesField rule={rule} onChange={onChange} />
  if ('between' in rule) return <BetweenField rule={rule} onChange={onChange} />
  if ('holidays' in rule) return <HolidaysField rule={rule} onChange={onChange} />
  if ('rrule' in rule) return <RecurrenceField rule={rule} onChange={onChange} />
  if ('calendar' in rule)
    return (
      <Select
        label="Calendar"
        hideLabel
        value={rule.calendar}
        onChange={(calendar) => onChange({ calendar })}
        choices={calendars.map(({ slug, title }) => ({ id: slug, title }))}
        width="220px"
      />
    )
  if ('not' in rule) return <Inner>{inner(rule.not, 'not', (not) => onChange({ not }))}</Inner>
  if ('any' in rule)
    return (
      <Parts
        parts={rule.any}
        name="any"
        calendars={calendars}
        inner={inner}
        onChange={(any) => onChange(single(any, 'any'))}
      />
    )
  if ('all' in rule)
    return (
      <Parts
        parts={rule.all}
        name="all"
        calendars={calendars}
        inner={inner}
        onChange={(all) => onChange(single(all, 'all'))}
      />
    )
  if ('nth' in rule) return <NthBody nth={rule.nth} onChange={(nth) => onChange({ nth })} inner={inner} />
  if ('shift' in rule)
    return (
      <ShiftBody shift={rule.shift} onChange={(shift) => onChange({ shift })} inner={inner} calendars={calendars} />
    )
  return <RollBody roll={rule.roll} onChange={(roll) => onChange({ roll })} inner={inner} />
}

/** One part left of a union or intersection stands for itself. */
function single(parts: readonly DayRule[], name: 'any' | 'all'): DayRule {
  if (parts.length !== 1) return name === 'any' ? { any: parts } : { all: parts }
  return parts[0] as DayRule
}

function Parts({
  parts,
  name,
  calendars,
  inner,
  onChange,
}: {
  parts: readonly DayRule[]
  name: 'any' | 'all'
  calendars: readonly NamedBySlug[]
  inner: BodyProps['inner']
  onChange: (parts: readonly DayRule[]) => void
}): ReactNode {
  const replace = (i: number, part: DayRule): void => onChange(parts.map((each, k) => (k === i ? part : each)))
  const remove = parts.length > 1 ? (i: number) => () => onChange(parts.filter((_, k) => k !== i)) : () => undefined
  return (
    <Inner>
      {parts.map((part, i) => {
        const step = `${name}[${i}]`
        // What is taken away is shown as such: the part inside the “not”.
        if (name === 'all' && 'not' in part)
          return inner(part.not, `${step}.not`, (not) => replace(i, { not }), {
            role: 'Take away',
            onRemove: remove(i),
          })
        return inner(part, step, (next) => replace(i, next), {
          role: i === 0 ? undefined : name === 'all' ? 'Only if also in' : 'And',
          onRemove: remove(i),
        } as Partial<Props>)
      })}
      <Row $gap={6} $wrap>
        {name === 'any' ? (
          <AddPart label="Add days" calendars={calendars} onAdd={(part) => onChange([...parts, part])} />
        ) : (
          <>
            <AddPart
              label="Take days away"
              calendars={calendars}
              onAdd={(part) => onChange([...parts, { not: part }])}
            />
            <AddPart label="Only if also" calendars={calendars} onAdd={(part) => onChange([...parts, part])} />
          </>
        )}
      </Row>
    </Inner>
  )
}

function ShiftBody({
  shift,
  onChange,
  inner,
  calendars,
}: {
  shift: ShiftRule
  onChange: (shift: ShiftRule) => void
  inner: BodyProps['inner']
  calendars: readonly NamedBySlug[]
}): ReactNode {
  const { of, days, counting } = shift
  const set = (size: number, isBefore: boolean): void => onChange({ ...shift, days: (isBefore ? -size : size) || 0 })
  return (
    <Stack $gap={6}>
      <Row $gap={6} $wrap>
        <TextField
          label="How many days"
          hideLabel
          value={String(Math.abs(days))}
          onChange={(text) => /^\d{1,4}$/.test(text) && Number(text) <= 3660 && set(Number(text), days < 0)}
          width="54px"
        />
        <span>{counting ? 'of the days below,' : 'days'}</span>
        <Select
          label="Direction"
          hideLabel
          value={days < 0 ? 'before' : 'after'}
          onChange={(direction) => set(Math.abs(days), direction === 'before')}
          choices={[
            { id: 'before', title: 'before' },
            { id: 'after', title: 'after' },
          ]}
          width="92px"
        />
      </Row>
      <Inner>
        {inner(of, 'shift.of', (next) => onChange({ ...shift, of: next }))}
        {counting ? (
          inner(counting, 'shift.counting', (next) => onChange({ ...shift, counting: next }), {
            role: 'Counting only',
            onRemove: () => onChange({ of, days }),
          })
        ) : (
          <Row>
            <AddPart
              label="Count only certain days"
              calendars={calendars}
              onAdd={(part) => onChange({ ...shift, counting: part })}
            />
          </Row>
        )}
      </Inner>
    </Stack>
  )
}

const ROLL_CHOICES = [
  { id: 'next', title: 'the next day in it' },
  { id: 'previous', title: 'the previous day in it' },
  { id: 'nearest', title: 'the nearest day in it' },
  { id: 'next-in-month', title: 'the next in it, or the previous if that leaves the month' },
]

function RollBody({
  roll,
  onChange,
  inner,
}: {
  roll: RollRule
  onChange: (roll: RollRule) => void
  inner: BodyProps['inner']
}): ReactNode {
  return (
    <Inner>
      {inner(roll.of, 'roll.of', (of) => onChange({ ...roll, of }))}
      {inner(roll.onto, 'roll.onto', (onto) => onChange({ ...roll, onto }), { role: 'If it falls outside' })}
      <Row $gap={6} $wrap>
        <span>go to</span>
        <Select
          label="Where to"
          hideLabel
          value={roll.to}
          onChange={(to) => onChange({ ...roll, to: to as RollRule['to'] })}
          choices={ROLL_CHOICES}
          width="250px"
        />
      </Row>
    </Inner>
  )
}

const WRAPPED = {
  roll: (rule: DayRule, work: DayRule): DayRule => ({ roll: { of: rule, onto: work, to: 'next' } }),
  nth: (rule: DayRule): DayRule => ({ nth: { n: -1, of: rule, in: 'month' } }),
  shift: (rule: DayRule): DayRule => ({ shift: { of: rule, days: -1 } }),
}

/** Ways to go on from a whole rule. */
export function RuleActions({
  rule,
  calendars,
  onChange,
  extra,
}: {
  rule: DayRule
  calendars: readonly NamedBySlug[]
  onChange: (rule: DayRule) => void
  extra?: ReactNode
}): ReactNode {
  const isRead = useReading()
  const work: DayRule = calendars.some(({ slug }) => slug === 'working-days')
    ? { calendar: 'working-days' }
    : { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] }
  if (isRead) return null
  return (
    <Row $gap={6} $wrap>
      {!('any' in rule) && (
        <AddPart label="Add days" calendars={calendars} onAdd={(part) => onChange({ any: [rule, part] })} />
      )}
      {!('all' in rule) && (
        <>
          <AddPart
            label="Take days away"
            calendars={calendars}
            onAdd={(part) => onChange({ all: [rule, { not: part }] })}
          />
          <AddPart label="Only if also" calendars={calendars} onAdd={(part) => onChange({ all: [rule, part] })} />
        </>
      )}
      <MenuButton
        face={(before) => <Button {...before}>Go on with these …</Button>}
        items={[
          { id: 'roll', title: 'Move a day if it falls badly' },
          { id: 'nth', title: 'Only the n-th of each month, quarter …' },
          { id: 'shift', title: 'So many days before or after' },
        ]}
        onAction={(id) => onChange(WRAPPED[id as keyof typeof WRAPPED](rule, work))}
      />
      <Spring />
      {extra}
    </Row>
  )
}

/** A rule in the middle of being typed may not make a sentence yet. */
function said(rule: DayRule, names: readonly { readonly id: string; readonly title: string }[]): string {
  try {
    return sayDays(rule, names)
  } catch {
    return 'not right yet'
  }
}
