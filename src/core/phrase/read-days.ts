import { parseIsoDay } from '../calendar/days'
import { holidayFaultIfKnown } from '../calendar/holiday-check'
import { HOLIDAY_TYPES, nthFault, type DayRule, type HolidayType, type NthRule, type RollTo } from '../calendar/rule'
import type { Cursor } from './cursor'
import { readCalendarName, WORKING_DAYS, type Home, type NamedCalendar } from './names'
import { readRecurrence } from './read-recurrence'
import { allOf, anyOf, EVERY_DAY, MONDAY_TO_FRIDAY, monthsRule, WEEKEND, weekdaysRule, yearly } from './rules'
import { monthNamed, numberNamed, ordinalNamed, weekdayNamed } from './words'

type Period = Pick<NthRule, 'in' | 'yearStart'>

/** Reads sets of days. Each reader gives null, the cursor where it was, when its kind of phrase does not begin here. */
export class DayReader {
  /** “Every quarter on the last working day”: the period that an ordinal without one of its own belongs to. */
  period: Period | null = null
  private brackets = 0

  constructor(
    private readonly cursor: Cursor,
    private readonly calendars: readonly NamedCalendar[],
    private readonly home: Home | null = null,
  ) {}

  /** `A or B`, `A, B and C`; each part may be moved, or be narrowed down by “that are also” and, in brackets, “except”. */
  set(): DayRule | null {
    const first = this.narrowed()
    if (!first) return null
    const parts = [first]
    for (;;) {
      const more = this.cursor.attempt(() => {
        const comma = this.cursor.take(',')
        if (!this.cursor.take('and|or|plus|&') && !comma) return null
        this.cursor.take('on')
        return this.narrowed()
      })
      if (!more) return anyOf(parts)
      parts.push(more)
    }
  }

  private narrowed(): DayRule | null {
    const first = this.moved()
    if (!first) return null
    const parts = [first]
    for (;;) {
      const months = this.cursor.attempt(() => (this.cursor.take('in|during') ? this.months() : null))
      if (months) parts.push(monthsRule(months))
      else if (this.cursor.take('that', 'are', 'also')) parts.push(this.need(this.moved()))
      else if (this.brackets > 0 && this.cursor.take('except')) return allOf([...parts, { not: this.need(this.set()) }])
      else return allOf(parts)
    }
  }

  private need(rule: DayRule | null): DayRule {
    if (!rule) throw this.cursor.fault('Days are expected here, such as “Mondays” or “the last day of the month”.')
    return rule
  }

  /** `A moved to the next working day`, `… in the month`. */
  private moved(): DayRule | null {
    let rule = this.atom()
    while (rule) {
      const of: DayRule = rule
      const onto = this.cursor.attempt(() => {
        this.cursor.take(',')
        if (!this.cursor.take('moved|rolled', 'to', 'the')) return null
        const to = this.cursor.next()?.text as RollTo
        if (!['next', 'previous', 'nearest'].includes(to)) return null
        const days = this.dayNoun()
        if (!days) return null
        const isInMonth = to === 'next' && this.cursor.take('in', 'the', 'month')
        return { to: isInMonth ? ('next-in-month' as const) : to, days }
      })
      if (!onto) return of
      rule = { roll: { of, onto: onto.days, to: onto.to } }
    }
    return null
  }

  private atom(): DayRule | null {
    const { cursor } = this
    if (cursor.take('(')) return this.bracketed()
    if (cursor.take('no', 'day|days')) return { dates: [] }
    return (
      cursor.attempt(() => this.nth()) ??
      cursor.attempt(() => this.shift()) ??
      cursor.attempt(() => this.periodEnd()) ??
      cursor.attempt(() => this.named()) ??
      cursor.attempt(() => this.plainDays()) ??
      cursor.attempt(() => this.weekdays()) ??
      cursor.attempt(() => this.yearSpan()) ??
      cursor.attempt(() => this.dates()) ??
      cursor.attempt(() => this.holidays())
    )
  }

  /** What stands between brackets, the first of which was taken. Inside, “except” takes away from what stands there. */
  private bracketed(): DayRule {
    this.brackets++
    const recurrence = readRecurrence(this.cursor, 'days')
    const inner = recurrence ? (recurrence.rule as DayRule) : this.need(this.set())
    this.brackets--
    if (!this.cursor.take(')')) throw this.cursor.fault('A closing bracket is expected here.')
    return inner
  }

  /** `every day`, `weekdays`, `weekends`, `Monday to Friday`. */
  private plainDays(): DayRule | null {
    const { cursor } = this
    const each = cursor.take('every|each|all|any')
    cursor.take('the')
    if (cursor.take('weekday|weekdays')) return MONDAY_TO_FRIDAY
    if (cursor.take('weekend|weekends')) {
      cursor.take('day|days')
      return WEEKEND
    }
    return each && cursor.take('day|days') ? EVERY_DAY : null
  }

  private weekdays(): DayRule | null {
    const { cursor } = this
    cursor.take('every|each|all')
    cursor.take('from')
    const first = weekdayNamed(cursor.peek()?.text ?? '')
    if (first < 0) return null
    cursor.next()
    const last = cursor.attempt(() => {
      if (!cursor.take('to|through|until|till|-')) return null
      const to = weekdayNamed(cursor.next()?.text ?? '')
      return to < 0 ? null : to
    })
    if (last === null) return weekdaysRule([first])
    return weekdaysRule(Array.from({ length: ((last - first + 7) % 7) + 1 }, (_, i) => (first + i) % 7))
  }

  /** What an ordinal counts, in the singular: `working day`, `weekday`, `Monday`, `day of (…)`. */
  dayNoun(): DayRule | null {
    const { cursor } = this
    if (cursor.take('day|days', 'of', '(')) return this.bracketed()
    if (cursor.take('weekday|weekdays')) return MONDAY_TO_FRIDAY
    if (cursor.take('weekend', 'day|days')) return WEEKEND
    const weekday = weekdayNamed(cursor.peek()?.text ?? '')
    if (weekday >= 0) {
      cursor.next()
      return weekdaysRule([weekday])
    }
    return (
      cursor.attempt(() => this.named()) ??
      cursor.attempt(() => this.holidays()) ??
      (cursor.take('day|days') ? EVERY_DAY : null)
    )
  }

  /** `working days`, a calendar by its name. */
  private named(): DayRule | null {
    const { cursor } = this
    cursor.take('every|each|all|any')
    cursor.take('the')
    const token = cursor.peek()
    if (
      cursor.take('working|business', 'day|days') ||
      cursor.take('working|business', '-', 'day|days') ||
      cursor.take('workday|workdays')
    ) {
      if (!this.calendars.some(({ id }) => id === WORKING_DAYS))
        throw cursor.fault(
          `Working days are the calendar “${WORKING_DAYS}”, and there is none here. Did you mean weekdays, Monday to Friday?`,
          token,
        )
      return { calendar: WORKING_DAYS }
    }
    // A word of the language means what it always means, even if a calendar is called so.
    if (/^(days?|weekdays?|weekends?)$/.test(token?.text ?? '') || weekdayNamed(token?.text ?? '') >= 0) return null
    const id = readCalendarName(cursor, this.calendars)
    return id === null ? null : { calendar: id }
  }

  /** `the end of the month`, `month end`: its last day, unless a calendar is called so too, which is asked about. */
  private periodEnd(): DayRule | null {
    const { cursor } = this
    cursor.take('every|each')
    cursor.take('the')
    const first = cursor.peek()
    const place = cursor.place
    // A longer name of a calendar that begins like this is that calendar.
    const calendar = cursor.attempt(() => {
      const id = readCalendarName(cursor, this.calendars)
      const tokens = cursor.place - place
      return id === null ? null : { id, tokens }
    })
    const calendarTokens = calendar?.tokens ?? 0
    if (calendar) this.cursor.goBack(place)
    const unit = this.endOf()
    if (!unit) return null
    if (calendar && calendarTokens > cursor.place - place) return null
    if (calendar) {
      const title = this.calendars.find(({ id }) => id === calendar.id)?.title ?? calendar.id
      throw cursor.fault(
        `This can be the last day of the ${unit} or the calendar “${title}”. Write “the last day of the ${unit}”, or “calendar ${title}”.`,
        first,
      )
    }
    return { nth: { n: -1, of: EVERY_DAY, in: unit } }
  }

  private endOf(): Period['in'] | null {
    const { cursor } = this
    const units = ['week', 'month', 'quarter', 'year'] as const
    if (cursor.take('end', 'of')) {
      cursor.take('the|each|every|a')
      return units.find((unit) => cursor.take(unit)) ?? null
    }
    const unit = units.find((each) => cursor.take(each))
    if (!unit) return null
    cursor.take('-')
    return cursor.take('end|ends') ? unit : null
  }

  /** `the 1st and 3rd Monday of the month`, `the 15th`, `the last working day of the quarter`, `the last Friday of March`. */
  private nth(): DayRule | null {
    const { cursor } = this
    cursor.take('every|each')
    cursor.take('the')
    let bareDigits = false
    const first = cursor.peek()
    let numbers = this.ordinals()
    if (numbers) bareDigits = /^\d/.test(cursor.peek(-1)?.text ?? '')
    if (!numbers && cursor.take('day')) {
      const n = this.number()
      numbers = n === undefined ? null : [n]
      bareDigits = true
    }
    if (!numbers) return null
    const of = this.dayNoun()
    const months = cursor.attempt(() => (cursor.take('of|in') ? this.months() : null))
    const own = months ? null : cursor.attempt(() => this.ofPeriod())
    const period = months ? { in: 'month' as const } : (own ?? this.period)
    if (!period) {
      // “On the 15th” can only be of the month; “the first Monday” could be of anything.
      if (of || !bareDigits) return null
    }
    const fault = numbers.map((n) => nthFault(n, (period ?? { in: 'month' }).in)).find((each) => each !== undefined)
    if (fault) throw cursor.fault(fault, first)
    if (!period) return anyOf(numbers.map((n) => ({ nth: { n, of: EVERY_DAY, in: 'month' } })))
    const rules = numbers.map((n): DayRule => ({ nth: { n, of: of ?? EVERY_DAY, ...period } }))
    return months ? allOf([anyOf(rules), monthsRule(months)]) : anyOf(rules)
  }

  /** One or more of `1st`, `first`, `last`, `2nd last`, `second to last`. */
  private ordinals(): number[] | null {
    const first = this.ordinal()
    if (first === null) return null
    const out = [first]
    for (;;) {
      const more = this.cursor.attempt(() => {
        const comma = this.cursor.take(',')
        if (!this.cursor.take('and|or|&') && !comma) return null
        this.cursor.take('the')
        return this.ordinal()
      })
      if (more === null) return out
      out.push(more)
    }
  }

  private ordinal(): number | null {
    const { cursor } = this
    if (cursor.take('penultimate') || cursor.take('next', 'to', 'last') || cursor.take('last', 'but', 'one')) return -2
    if (cursor.take('last|final')) return -1
    const n = ordinalNamed(cursor.peek()?.text ?? '')
    if (n === undefined || n > 366) return null
    cursor.next()
    const fromEnd =
      cursor.take('last') ||
      cursor.take('-', 'last') ||
      cursor.take('to', 'last') ||
      cursor.take('-', 'to', '-', 'last') ||
      cursor.take('from', 'last')
    return fromEnd ? -n : n
  }

  private number(): number | undefined {
    const token = this.cursor.peek()
    const n = token?.kind === 'number' ? Number(token.text) : numberNamed(token?.text ?? '')
    if (n === undefined || !Number.isInteger(n) || n < 0) return undefined
    this.cursor.next()
    return n
  }

  /** `of the month`, `of each quarter`, `of the year beginning in April`. */
  private ofPeriod(): Period | null {
    const { cursor } = this
    if (!cursor.take('of|in')) return null
    cursor.take('the|each|every|a')
    const unit = ['week', 'month', 'quarter', 'year'].find((word) => cursor.take(`${word}|${word}s`)) as
      Period['in'] | undefined
    if (!unit) return null
    const start = cursor.attempt(() => {
      if (!cursor.take('beginning|starting|counted', 'in|from')) return null
      const month = monthNamed(cursor.next()?.text ?? '')
      return month === 0 ? null : month
    })
    return start === null || start === 1 ? { in: unit } : { in: unit, yearStart: start }
  }

  /** One or more months by name. */
  months(): number[] | null {
    const { cursor } = this
    const month = monthNamed(cursor.peek()?.text ?? '')
    if (month === 0) return null
    cursor.next()
    const out = [month]
    for (;;) {
      const more = cursor.attempt(() => {
        const comma = cursor.take(',')
        if (!cursor.take('and|or|&') && !comma) return null
        const next = monthNamed(cursor.next()?.text ?? '')
        return next === 0 ? null : next
      })
      if (more === null) return out
      out.push(more)
    }
  }

  /** `2 working days before A`, `the day after A`. */
  private shift(): DayRule | null {
    const { cursor } = this
    const n = cursor.take('the|a|one') ? 1 : this.number()
    if (n === undefined || n > 3660) return null
    const counting = cursor.attempt(() => {
      if (cursor.take('calendar', 'day|days')) return { days: null }
      const isPlain = /^days?$/.test(cursor.peek()?.text ?? '') && cursor.peek(1)?.text !== 'of'
      const days = this.dayNoun()
      return days && { days: isPlain ? null : days }
    })
    if (!counting) return null
    const direction = cursor.take('before') ? -1 : cursor.take('after') ? 1 : 0
    if (direction === 0) return null
    const of = this.need(this.atom())
    return { shift: { of, days: direction * n || 0, ...(counting.days ? { counting: counting.days } : {}) } }
  }

  /** `15 May to 30 September`, `24 December`, `in June and July`, `December 24`. */
  private yearSpan(): DayRule | null {
    const { cursor } = this
    cursor.take('every|each')
    cursor.take('from')
    const from = cursor.attempt(() => this.monthDay())
    if (!from) return null
    const to = cursor.attempt(() => (cursor.take('to|until|till|through|-') ? this.monthDay() : null))
    return yearly(from, to ?? from)
  }

  private monthDay(): { month: number; day: number } | null {
    const { cursor } = this
    cursor.take('the')
    const first = cursor.next()
    let month = monthNamed(first?.text ?? '')
    const dayText = month > 0 ? cursor.next()?.text : first?.text
    if (month === 0) {
      cursor.take('of')
      month = monthNamed(cursor.next()?.text ?? '')
    }
    const day = ordinalNamed(dayText ?? '') ?? (/^\d{1,2}$/.test(dayText ?? '') ? Number(dayText) : undefined)
    if (month === 0 || day === undefined) return null
    if (parseIsoDay(`2000-${String(month).padStart(2, '0')}-${String(day).padStart(2, '0')}`) === undefined)
      throw cursor.fault(`There is no day ${dayText} in that month.`, first)
    return { month, day }
  }

  private dates(): DayRule | null {
    const { cursor } = this
    const token = cursor.peek()
    if (token?.kind !== 'date') return null
    cursor.next()
    if (parseIsoDay(token.text) === undefined) throw cursor.fault(`${token.text} is not a day.`, token)
    const title = cursor.peek()?.kind === 'quoted' ? cursor.next()?.text : undefined
    return { dates: [title ? { date: token.text, title } : token.text] }
  }

  /** `public holidays of GB-SCT`. */
  private holidays(): DayRule | null {
    const { cursor } = this
    cursor.take('the')
    const types: HolidayType[] = []
    for (;;) {
      const type = HOLIDAY_TYPES.find((each) => cursor.take(each))
      if (!type) break
      types.push(type)
      if (cursor.take(',') || cursor.take('and|or|&')) continue
    }
    if (!cursor.take('holiday|holidays')) return null
    if (!cursor.take('of|in')) {
      if (!this.home)
        throw cursor.fault('Of which country? Say for example “public holidays of GB”, or name a calendar.')
      // Where days off are called bank holidays they are the public ones; few countries tell the two apart.
      const meant: HolidayType[] = types.join() === 'bank' ? ['public', 'bank'] : types
      const { country, region } = this.home
      return {
        holidays: {
          country,
          ...(region === undefined ? {} : { region }),
          ...(meant.length > 0 && meant.join() !== 'public' ? { types: meant } : {}),
        },
      }
    }
    cursor.take('the')
    const token = cursor.peek()
    const codes: string[] = []
    do codes.push(cursor.next()?.text.toUpperCase() ?? '')
    while (cursor.take('-'))
    const [country = '', ...regions] = codes
    const request = { country, ...(regions.length > 0 ? { region: regions.join('-') } : {}) }
    const fault = holidayFaultIfKnown(request)
    if (fault) throw cursor.fault(fault.message, token)
    return { holidays: { ...request, ...(types.length > 0 && types.join() !== 'public' ? { types } : {}) } }
  }
}
