import { Calendars, type Calendar } from './calendars'
import { civil, dayOf, isoDay, type Day } from './days'
import type { HolidaySource } from './holidays'
import { rollTarget, shiftTarget } from './moved'
import { innerRules, type DayRule, type HolidayQuery } from './rule'

interface MovedDay {
  readonly from: string
  /** null: nowhere. */
  readonly to: string | null
}

/** What a screen shows of one year of a calendar; days are ISO dates. */
export interface YearView {
  readonly year: number
  readonly days: readonly string[]
  /** Days that the rule’s own moving takes elsewhere. */
  readonly moved: readonly MovedDay[]
  /** Holidays that the rule names, itself or through calendars, in the set or not. */
  readonly holidays: readonly { readonly day: string; readonly name: string }[]
  /** Days of each part of the rule in the year, by the part’s path (`all[0].not`); the whole has the path "". */
  readonly counts: Readonly<Record<string, number>>
}

/** A year of a rule. The calendars are those it may refer to; `holidays` is where those that it names itself come from. */
export function yearView(
  rule: DayRule,
  year: number,
  calendars: readonly Calendar[],
  holidays: HolidaySource,
): YearView {
  const context = new Calendars(calendars, holidays)
  const [first, last] = [dayOf(year, 1, 1), dayOf(year, 12, 31)]
  const days = context.daysOf(rule).list(first, last).map(isoDay)
  const counts: Record<string, number> = {}
  const moved = new Map<Day, Day>()
  const queries = new Map<string, { query: HolidayQuery; source: HolidaySource }>()
  const seen = new Set<string>()
  const look = (each: DayRule, path: string | null, source: HolidaySource): void => {
    if (path !== null) {
      counts[path] = context.daysOf(each).count(first, last)
      noteMoved(each)
    }
    if ('holidays' in each) queries.set(JSON.stringify(each.holidays), { query: each.holidays, source })
    if ('calendar' in each && !seen.has(each.calendar)) {
      seen.add(each.calendar)
      const inner = context.find(each.calendar)
      if (inner) look(inner.days, null, inner.holidays ?? holidays)
    }
    for (const { rule: inner, path: step } of innerRules(each))
      look(inner, path === null ? null : join(path, step), source)
  }
  const noteMoved = (each: DayRule): void => {
    if ('roll' in each) {
      const onto = context.daysOf(each.roll.onto)
      for (const day of context.daysOf(each.roll.of).list(first, last))
        if (!onto.has(day)) moved.set(day, rollTarget(day, onto, each.roll.to))
    } else if ('shift' in each) {
      const { days: n, counting } = each.shift
      const by = counting && context.daysOf(counting)
      for (const day of context.daysOf(each.shift.of).list(first, last))
        moved.set(day, by ? shiftTarget(day, n, by) : day + n)
    }
  }
  look(rule, '', holidays)
  const named = new Map<string, string>()
  for (const { query, source } of queries.values())
    for (const each of [year - 1, year])
      for (const { day, name } of source.holidays(query, each))
        if (civil(day).year === year) named.set(isoDay(day), named.get(isoDay(day)) ?? name)
  const inSet = new Set(days)
  return {
    year,
    days,
    moved: [...moved]
      .map(([from, to]) => ({ from: isoDay(from), to: Number.isNaN(to) ? null : isoDay(to) }))
      .filter(({ from, to }) => from !== to && !inSet.has(from))
      .sort((a, b) => (a.from < b.from ? -1 : 1)),
    holidays: [...named].map(([day, name]) => ({ day, name })).sort((a, b) => (a.day < b.day ? -1 : 1)),
    counts,
  }
}

function join(path: string, step: readonly (string | number)[]): string {
  return step.reduce<string>(
    (text, part) => (typeof part === 'number' ? `${text}[${part}]` : text === '' ? part : `${text}.${part}`),
    path,
  )
}
