import { WEEKDAYS } from '../calendar/days'
import type { DayRule, HolidayQuery, NthRule } from '../calendar/rule'
import { WORKING_DAYS, type NamedCalendar } from './names'
import { isEveryDay, wholeMonths } from './rules'
import { sayRecurrence } from './say-recurrence'
import { listed, MONTH_NAMES, ordinal, WEEKDAY_NAMES } from './words'

/** Says day rules so that the reader of phrases takes them for the same days. */
export class DaySayer {
  /** Calendars are called by their titles where these are plain words and no other calendar's. */
  private readonly titles = new Map<string, string>()

  /** `next`: names the next day of a recurrence, so that it can be seen which of every two or more is meant. */
  constructor(
    calendars: readonly NamedCalendar[] = [],
    private readonly next?: (rule: DayRule) => string | undefined,
  ) {
    const used = new Map<string, number>()
    for (const { id, title } of calendars)
      for (const name of new Set([id, title ?? id]))
        used.set(name.toLowerCase(), (used.get(name.toLowerCase()) ?? 0) + 1)
    for (const { id, title } of calendars)
      if (title !== undefined && !/[“”"]/.test(title) && used.get(title.toLowerCase()) === 1) this.titles.set(id, title)
  }

  /** In a sentence: `weekdays`, `the last day of the month or 2027-05-03`. */
  set(rule: DayRule): string {
    if ('any' in rule)
      return rule.any.length === 1
        ? this.set(rule.any[0] as DayRule)
        : rule.any.map((part) => this.part(part)).join(' or ')
    if ('all' in rule) return rule.all.length === 1 ? this.set(rule.all[0] as DayRule) : this.both(rule.all)
    if ('roll' in rule) {
      const { of, onto, to } = rule.roll
      const word = to === 'next-in-month' ? 'next' : to
      const within = to === 'next-in-month' ? ' in the month' : ''
      return `${this.part(of)} moved to the ${word} ${this.noun(onto)}${within}`
    }
    if ('not' in rule) return `(every day except ${this.part(rule.not)})`
    if ('shift' in rule) {
      const { of, days, counting } = rule.shift
      const n = Math.abs(days)
      const noun = counting ? this.noun(counting, n !== 1) : n === 1 ? 'day' : 'days'
      return `${n === 1 ? 'the' : n} ${noun} ${days < 0 ? 'before' : 'after'} ${this.part(of)}`
    }
    if ('nth' in rule) return `the ${ordinal(rule.nth.n)} ${this.noun(rule.nth.of)} of the ${sayPeriod(rule.nth)}`
    if ('calendar' in rule) return rule.calendar === WORKING_DAYS ? 'working days' : this.quoted(rule.calendar)
    if ('weekdays' in rule) return sayWeekdays(rule.weekdays)
    if ('dates' in rule)
      return rule.dates.length === 0
        ? 'no day'
        : listed(rule.dates.map((entry) => (typeof entry === 'string' ? entry : entry.date)))
    if ('between' in rule) return saySpan(rule.between)
    if ('holidays' in rule) return sayHolidays(rule.holidays)
    return `(${this.recurrence(rule)})`
  }

  /** A recurrence without brackets, as a sentence of its own takes it. */
  recurrence(rule: { readonly rrule: string; readonly start: string }): string {
    const next = /INTERVAL=/.test(rule.rrule) ? this.next?.(rule) : undefined
    return `${sayRecurrence(rule.rrule, rule.start, 'days')}${next === undefined ? '' : ` (next ${next})`}`
  }

  private quoted(id: string): string {
    const name = this.nameOf(id)
    return /s$/i.test(name) ? `“${name}”` : `“${name}” days`
  }

  /** A calendar's name as it is said. */
  nameOf(id: string): string {
    return this.titles.get(id) ?? id
  }

  private both(rules: readonly DayRule[]): string {
    const without = rules.filter((rule) => 'not' in rule)
    const months = rules.map(wholeMonths)
    const within = rules.filter((rule, i) => !('not' in rule) && !months[i])
    const named = months.flatMap((list) => (list ? [` in ${sayMonths(list)}`] : []))
    const first = within.length === 0 ? 'every day' : within.map((rule) => this.part(rule)).join(' that are also ')
    const said = first + named.join('')
    if (without.length === 0) return said
    return `(${said} except ${without.map((rule) => this.part((rule as { not: DayRule }).not)).join(' or ')})`
  }

  /** As part of something larger: in brackets where it is made of parts itself. */
  private part(rule: DayRule): string {
    const said = this.set(rule)
    const isWhole = said.startsWith('(') && closesAtEnd(said)
    return isWhole || isSimple(rule) ? said : `(${said})`
  }

  /** What an ordinal or a number counts: `working day`, `Monday`, `day of (…)`. */
  private noun(rule: DayRule, isPlural = false): string {
    const s = isPlural ? 's' : ''
    if (isEveryDay(rule)) return `day${s}`
    if ('calendar' in rule)
      return rule.calendar === WORKING_DAYS ? `working day${s}` : `“${this.nameOf(rule.calendar)}” day${s}`
    if ('weekdays' in rule) {
      const said = sayWeekdays(rule.weekdays)
      if (said === 'weekdays') return `weekday${s}`
      if (said === 'weekends') return `weekend day${s}`
      if (rule.weekdays.length === 1) return isPlural ? said : said.slice(0, -1)
    }
    const said = this.set(rule)
    return `day${s} of ${said.startsWith('(') && closesAtEnd(said) ? said : `(${said})`}`
  }
}

function isSimple(rule: DayRule): boolean {
  if ('any' in rule) return rule.any.length === 1 && isSimple(rule.any[0] as DayRule)
  if ('all' in rule) return rule.all.length === 1 && isSimple(rule.all[0] as DayRule)
  // A list of several would fall apart: what follows would go with its last part only.
  if ('weekdays' in rule) return !/ and /.test(sayWeekdays(rule.weekdays))
  if ('dates' in rule) return rule.dates.length < 2
  return 'calendar' in rule || 'between' in rule || 'holidays' in rule || 'nth' in rule
}

/** Whether the bracket that opens at the beginning closes at the very end. */
function closesAtEnd(text: string): boolean {
  let depth = 0
  for (let i = 0; i < text.length; i++) {
    if (text[i] === '(') depth++
    else if (text[i] === ')' && --depth === 0) return i === text.length - 1
  }
  return false
}

/** `June`, `June and July`. */
export function sayMonths(months: readonly number[]): string {
  return listed(months.map((month) => MONTH_NAMES[month - 1] as string))
}

function sayWeekdays(codes: readonly string[]): string {
  const days = WEEKDAYS.filter((code) => codes.includes(code))
  if (days.length === 7) return 'every day'
  if (days.join() === 'MO,TU,WE,TH,FR') return 'weekdays'
  if (days.join() === 'SA,SU') return 'weekends'
  return listed(days.map((code) => `${WEEKDAY_NAMES[WEEKDAYS.indexOf(code)]}s`))
}

function sayMonthDay(text: string): string {
  return `${Number(text.slice(3))} ${MONTH_NAMES[Number(text.slice(0, 2)) - 1]}`
}

function saySpan([from, to]: readonly [string, string]): string {
  return from === to ? sayMonthDay(from) : `${sayMonthDay(from)} to ${sayMonthDay(to)}`
}

function sayPeriod({ in: unit, yearStart }: NthRule): string {
  const isCounted = yearStart !== undefined && yearStart !== 1 && (unit === 'quarter' || unit === 'year')
  return isCounted ? `${unit} counted from ${MONTH_NAMES[yearStart - 1]}` : unit
}

export function sayHolidays({ country, region, types = ['public'] }: HolidayQuery): string {
  const upper = country.toUpperCase()
  const codes = region?.toUpperCase().split(/[-.]/) ?? []
  const places = codes.length > 1 && codes[0] === upper ? codes.slice(1) : codes
  return `${listed([...new Set(types)])} holidays of ${[upper, ...places].join('-')}`
}
