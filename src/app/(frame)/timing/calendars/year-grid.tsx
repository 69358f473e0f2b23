'use client'
import { useMemo, useRef, type KeyboardEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import { civil, dayOf, isoDay, parseIsoDay, weekdayIndex, type Day } from '@/core/calendar/days'
import type { YearView } from '@/core/calendar/year'
import { sayDay } from '@/core/phrase/explain'
import { MONTH_NAMES } from '@/core/phrase/words'
import { Small } from '@/ui/parts/layout'

const Months = styled.div`
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  gap: 10px 20px;
  h3 {
    font-size: 12px;
    line-height: 18px;
  }
`
const Days = styled.div`
  display: grid;
  grid-template-columns: repeat(7, 1fr);
  font-size: 11px;
  > span {
    text-align: center;
    font-size: 10px;
    line-height: 14px;
    color: var(--mute);
  }
  button {
    all: unset;
    box-sizing: border-box;
    min-height: 19px;
    line-height: 17px;
    text-align: center;
    color: var(--mute);
    border: 1px solid transparent;
    border-radius: 2px;
    cursor: pointer;
    position: relative;
  }
  button:hover {
    border-color: var(--line-strong);
  }
  button:focus-visible {
    outline: 2px solid var(--brass);
    outline-offset: 0;
  }
  button[data-in='true'],
  button[data-mark='both'] {
    background: var(--day-in);
    color: var(--day-in-ink);
    font-weight: 650;
  }
  button[data-mark='mine'] {
    background: linear-gradient(135deg, var(--day-in) 50%, transparent 50%);
    border-color: var(--day-in);
    color: var(--ink);
    font-weight: 650;
    text-shadow:
      0 0 3px var(--paper),
      0 0 3px var(--paper);
  }
  button[data-mark='other'] {
    border: 1px dashed var(--day-in);
    color: var(--ink);
    font-weight: 650;
  }
  button[data-moved='true'] {
    border-color: var(--failed);
    color: var(--failed);
    background: var(--failed-soft);
  }
  /* A holiday has a bar under its number. */
  button[data-holiday='true']::after {
    content: '';
    position: absolute;
    left: 25%;
    right: 25%;
    bottom: 1px;
    height: 2px;
    background: var(--brass);
  }
  button[data-today='true'] {
    text-decoration: underline;
    text-underline-offset: 2px;
  }
  button[aria-pressed='true'] {
    outline: 2px solid var(--brass);
    outline-offset: 0;
  }
`
const Legend = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  font-size: 12px;
  align-items: center;
  span {
    display: inline-flex;
    gap: 5px;
    align-items: center;
  }
  i {
    width: 12px;
    height: 12px;
    border-radius: 2px;
    flex: none;
  }
`
const WEEK_LETTERS = ['M', 'T', 'W', 'T', 'F', 'S', 'S']

/** A year of a calendar: days in it, days moved away from, and holidays named. Arrows go from day to day, Enter asks about one. */
export function YearGrid({
  view,
  today,
  chosen,
  onChoose,
  nextDay,
}: {
  view: YearView | undefined
  today: string
  chosen: string | undefined
  onChoose: (day: string) => void
  nextDay: string | null
}): ReactNode {
  const facts = useMemo(() => factsOf(view), [view])
  if (!view || !facts) return <div aria-busy="true" style={{ minHeight: 480 }} />
  const looks = (iso: string): DayLook => {
    const movedTo = facts.moved.get(iso)
    const holiday = facts.holidays.get(iso)
    return {
      isIn: facts.days.has(iso),
      isMoved: movedTo !== undefined,
      isHoliday: holiday !== undefined,
      says: [
        facts.days.has(iso) ? 'in the calendar' : 'not in it',
        movedTo === undefined
          ? ''
          : movedTo === null
            ? 'moved, to nowhere'
            : `moved to ${sayDay(parseIsoDay(movedTo) as Day)}`,
        holiday ?? '',
      ]
        .filter(Boolean)
        .join('; '),
    }
  }
  return (
    <>
      <MonthGrid year={view.year} looks={looks} today={today} chosen={chosen} onChoose={onChoose} />
      <Legend>
        <span>
          <i style={{ background: 'var(--day-in)' }} /> in the calendar
        </span>
        <span>
          <i style={{ background: 'var(--failed-soft)', border: '1px solid var(--failed)' }} /> moved away from
        </span>
        <span>
          <i style={{ borderBottom: '2px solid var(--brass)', height: 9 }} /> a holiday
        </span>
        <Small>
          {view.days.length === 1 ? 'one day' : `${view.days.length} days`} in {view.year}
          {nextDay && ` · next ${sayDay(parseIsoDay(nextDay) as Day)}`}
        </Small>
      </Legend>
      {view.moved.length > 0 && (
        <Small>
          <b>Moved:</b>{' '}
          {view.moved
            .slice(0, 12)
            .map(({ from, to }) => `${shortDay(from)} to ${to ? shortDay(to) : 'nowhere'}`)
            .join(' · ')}
          {view.moved.length > 12 && ` and ${view.moved.length - 12} more`}
        </Small>
      )}
      {view.holidays.length > 0 && (
        <Small>
          <b>Holidays:</b> {view.holidays.map(({ day, name }) => `${shortDay(day)} ${name}`).join(' · ')}
        </Small>
      )}
    </>
  )
}

/** `Fri 16 Apr` */
export function shortDay(iso: string): string {
  return sayDay(parseIsoDay(iso) as Day).replace(/ \d+$/, '')
}

function factsOf(view: YearView | undefined): {
  days: ReadonlySet<string>
  moved: ReadonlyMap<string, string | null>
  holidays: ReadonlyMap<string, string>
} | null {
  if (!view) return null
  return {
    days: new Set(view.days),
    moved: new Map(view.moved.map(({ from, to }) => [from, to])),
    holidays: new Map(view.holidays.map(({ day, name }) => [day, name])),
  }
}

export interface DayLook {
  readonly isIn?: boolean
  /** For comparing: in both, only in this one, only in the other one. */
  readonly mark?: 'both' | 'mine' | 'other' | undefined
  readonly isMoved?: boolean
  readonly isHoliday?: boolean
  readonly says: string
}

/** Twelve months of days that look as told. One stop for the keyboard; arrows move by days and weeks, PgUp and PgDn by months. */
export function MonthGrid({
  year,
  looks,
  today,
  chosen,
  onChoose,
}: {
  year: number
  looks: (iso: string) => DayLook
  today: string
  chosen?: string | undefined
  onChoose: (day: string) => void
}): ReactNode {
  const box = useRef<HTMLDivElement>(null)
  const stop = chosen?.startsWith(`${String(year).padStart(4, '0')}-`)
    ? chosen
    : today.startsWith(`${String(year).padStart(4, '0')}-`)
      ? today
      : isoDay(dayOf(year, 1, 1))
  const onKeyDown = (event: KeyboardEvent): void => {
    const iso = (event.target as HTMLElement).dataset.day
    const day = iso === undefined ? undefined : parseIsoDay(iso)
    if (day === undefined) return
    const { month, day: dayOfMonth } = civil(day)
    const to = {
      ArrowLeft: day - 1,
      ArrowRight: day + 1,
      ArrowUp: day - 7,
      ArrowDown: day + 7,
      PageUp: month > 1 ? dayOf(year, month - 1, Math.min(dayOfMonth, 28)) : undefined,
      PageDown: month < 12 ? dayOf(year, month + 1, Math.min(dayOfMonth, 28)) : undefined,
      Home: dayOf(year, month, 1),
      End: (month === 12 ? dayOf(year, 12, 31) : dayOf(year, month + 1, 1) - 1) as Day,
    }[event.key]
    if (to === undefined) return
    event.preventDefault()
    box.current?.querySelector<HTMLElement>(`[data-day="${isoDay(to)}"]`)?.focus()
  }
  return (
    <Months ref={box} onKeyDown={onKeyDown} role="group" aria-label={`The year ${year}`}>
      {MONTH_NAMES.map((name, m) => {
        const first = dayOf(year, m + 1, 1)
        const length = (m === 11 ? dayOf(year, 12, 31) + 1 : dayOf(year, m + 2, 1)) - first
        return (
          <div key={name} role="group" aria-label={name}>
            <h3>{name}</h3>
            <Days>
              {WEEK_LETTERS.map((letter, i) => (
                <span key={i} aria-hidden="true">
                  {letter}
                </span>
              ))}
              {Array.from({ length }, (_, i) => {
                const iso = isoDay(first + i)
                const look = looks(iso)
                return (
                  <button
                    key={iso}
                    type="button"
                    data-day={iso}
                    data-in={look.isIn}
                    data-mark={look.mark}
                    data-moved={look.isMoved}
                    data-holiday={look.isHoliday}
                    data-today={iso === today}
                    aria-pressed={iso === chosen}
                    tabIndex={iso === stop ? 0 : -1}
                    aria-label={`${sayDay(first + i)}: ${look.says}`}
                    title={`${sayDay(first + i)}: ${look.says}`}
                    onClick={() => onChoose(iso)}
                    style={i === 0 ? { gridColumnStart: weekdayIndex(first) + 1 } : undefined}
                  >
                    {i + 1}
                  </button>
                )
              })}
            </Days>
          </div>
        )
      })}
    </Months>
  )
}
