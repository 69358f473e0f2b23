'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { DayRule } from '@/core/calendar/rule'
import type { YearView } from '@/core/calendar/year'
import { MONTH_NAMES } from '@/core/phrase/words'
import { Small } from '@/ui/parts/layout'
import { useYear, type Calculator } from './use-calculator'
import { MonthGrid, shortDay, type DayLook } from './year-grid'

const Counts = styled.table`
  border-collapse: collapse;
  font-size: 12px;
  th {
    font-weight: 500;
    color: var(--mute);
    text-align: right;
    padding: 1px 7px;
  }
  th:first-child {
    text-align: left;
    padding-left: 0;
  }
  td {
    text-align: right;
    padding: 1px 7px;
  }
  td[data-differs='true'] {
    font-weight: 650;
    background: var(--late-soft);
  }
`
const Key = styled.span<{ $mark: 'both' | 'mine' | 'other' }>`
  display: inline-block;
  width: 12px;
  height: 12px;
  border-radius: 2px;
  vertical-align: -1px;
  border: 1px ${(p) => (p.$mark === 'other' ? 'dashed' : 'solid')} var(--day-in);
  background: ${(p) =>
    p.$mark === 'both'
      ? 'var(--day-in)'
      : p.$mark === 'mine'
        ? 'linear-gradient(135deg, var(--day-in) 50%, transparent 50%)'
        : 'transparent'};
`

/** Two calendars over one year, day by day; or one calendar over two years, month by month. */
export function Comparison({
  calculator,
  title,
  mine,
  other,
  isYears,
}: {
  calculator: Calculator | null
  title: string
  mine: YearView | undefined
  other: { readonly slug: string; readonly rule: DayRule; readonly title: string; readonly year: number }
  isYears: boolean
}): ReactNode {
  const { data: theirs } = useYear(calculator, other.slug, other.rule, other.year)
  if (!mine || !theirs || theirs.year !== other.year) return <div aria-busy="true" style={{ minHeight: 480 }} />
  return isYears ? (
    <Years mine={mine} theirs={theirs} />
  ) : (
    <Calendars title={title} mine={mine} other={other.title} theirs={theirs} />
  )
}

function Calendars({
  title,
  mine,
  other,
  theirs,
}: {
  title: string
  mine: YearView
  other: string
  theirs: YearView
}): ReactNode {
  const [a, b] = [new Set(mine.days), new Set(theirs.days)]
  const both = mine.days.filter((day) => b.has(day))
  const onlyMine = mine.days.filter((day) => !b.has(day))
  const onlyTheirs = theirs.days.filter((day) => !a.has(day))
  const looks = (iso: string): DayLook => {
    const mark = a.has(iso) ? (b.has(iso) ? 'both' : 'mine') : b.has(iso) ? 'other' : undefined
    const says = { both: 'in both', mine: `only in ${title}`, other: `only in ${other}`, none: 'in neither' }[
      mark ?? 'none'
    ]
    return { mark, says }
  }
  return (
    <>
      <MonthGrid year={mine.year} looks={looks} today="" onChoose={() => undefined} />
      <Small style={{ display: 'flex', gap: 18, flexWrap: 'wrap' }}>
        <span>
          <Key $mark="both" /> in both: {both.length}
        </span>
        <span>
          <Key $mark="mine" /> only in {title}: {onlyMine.length}
        </span>
        <span>
          <Key $mark="other" /> only in {other}: {onlyTheirs.length}
        </span>
      </Small>
      <DayList says={`Only in ${title}`} days={onlyMine} />
      <DayList says={`Only in ${other}`} days={onlyTheirs} />
    </>
  )
}
const MOST_LISTED = 30

function DayList({ says, days }: { says: string; days: readonly string[] }): ReactNode {
  if (days.length === 0) return null
  return (
    <Small>
      <b>{says}:</b> {days.slice(0, MOST_LISTED).map(shortDay).join(' · ')}
      {days.length > MOST_LISTED && ` and ${days.length - MOST_LISTED} more`}
    </Small>
  )
}

function Years({ mine, theirs }: { mine: YearView; theirs: YearView }): ReactNode {
  const inMonth = (view: YearView, m: number): number =>
    view.days.filter((day) => Number(day.slice(5, 7)) === m + 1).length
  return (
    <>
      <Counts>
        <thead>
          <tr>
            <th scope="col">Days in</th>
            {MONTH_NAMES.map((name) => (
              <th key={name} scope="col">
                {name.slice(0, 3)}
              </th>
            ))}
            <th scope="col">all</th>
          </tr>
        </thead>
        <tbody>
          {[theirs, mine].map((view) => (
            <tr key={view.year}>
              <th scope="row">{view.year}</th>
              {MONTH_NAMES.map((name, m) => (
                <td key={name} data-differs={inMonth(mine, m) !== inMonth(theirs, m)}>
                  {inMonth(view, m)}
                </td>
              ))}
              <td data-differs={mine.days.length !== theirs.days.length}>
                <b>{view.days.length}</b>
              </td>
            </tr>
          ))}
        </tbody>
      </Counts>
      {[mine, theirs].map((view) => {
        const days = new Set(view.days)
        const names = new Map(view.holidays.map(({ day, name }) => [day, name]))
        return (
          <section key={view.year} aria-label={String(view.year)}>
            <h2>{view.year}</h2>
            <MonthGrid
              year={view.year}
              today=""
              onChoose={() => undefined}
              looks={(iso) => ({
                isIn: days.has(iso),
                isHoliday: names.has(iso),
                says: [days.has(iso) ? 'in the calendar' : 'not in it', names.get(iso)].filter(Boolean).join('; '),
              })}
            />
          </section>
        )
      })}
    </>
  )
}
