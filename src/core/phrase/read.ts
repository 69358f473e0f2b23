import type { DayRule } from '../calendar/rule'
import type { TimeRule } from '../timing/rule'
import { Cursor, PhraseFault } from './cursor'
import { parseIsoDay } from '../calendar/days'
import { parseCron } from '../timing/cron'
import type { Home, NamedCalendar } from './names'
import { notUnderstood } from './not-understood'
import { DayReader } from './read-days'
import { ALL_MONTH_DAYS, readRecurrence } from './read-recurrence'
import { TimeReader } from './read-times'
import { readZone } from './read-zone'
import { allOf, anyOf, COUNTED_FROM, isEveryDay, monthsRule } from './rules'
import { tokensOf, type Token } from './tokens'
import { numberNamed, ordinal, ordinalNamed, WEEKDAY_NAMES, weekdayNamed } from './words'

export { PhraseFault } from './cursor'

export interface PhraseRule {
  readonly time: TimeRule
  readonly on?: DayRule
  readonly notOn?: DayRule
  /** Only if the phrase says so. */
  readonly zone?: string
  /** First and last day, ISO dates; only if the phrase says so. */
  readonly from?: string
  readonly until?: string
}

/** Every so many days, weeks, months, quarters or years. */
interface Cadence {
  readonly unit: 'day' | 'week' | 'month' | 'quarter' | 'year'
  readonly n: number
}

/**
 * Reads a phrase such as “last working day of the month at 18:30”. Every word must be understood, and nothing is guessed: what is not understood
 * throws a PhraseFault that says where, and what would be. A crontab line stands for itself. `home`: whose holidays are meant where no country is named.
 */
export function readPhrase(
  text: string,
  calendars: readonly NamedCalendar[] = [],
  home: Home | null = null,
): PhraseRule {
  const line = text.trim()
  // Five fields without a letter of a phrase: nothing else is written like this.
  if (/^[\d*,/-]+(\s+[\d*,/A-Za-z-]+){4}$/.test(line)) {
    const cron = parseCron(line)
    if (!cron.ok) throw new PhraseFault(`This reads like a crontab line. ${cron.fault}`, 0, text.length)
    return { time: { cron: line } }
  }
  return new PhraseReader(text, calendars, home).read()
}

class PhraseReader {
  private readonly cursor: Cursor
  private readonly days: DayReader
  private readonly times: TimeReader
  private time: TimeRule | null = null
  private cadence: Cadence | null = null
  private zone: string | null = null
  private from: string | null = null
  private until: string | null = null
  /** “Twice a day”: how many times there must be. */
  private wantedTimes: { readonly n: number; readonly at: Token | undefined } | null = null
  private readonly on: DayRule[] = []
  private readonly never: DayRule[] = []

  constructor(
    text: string,
    private readonly calendars: readonly NamedCalendar[],
    home: Home | null,
  ) {
    this.cursor = new Cursor(tokensOf(text), text)
    this.days = new DayReader(this.cursor, calendars, home)
    this.times = new TimeReader(this.cursor)
  }

  read(): PhraseRule {
    const { cursor } = this
    if (cursor.isAtEnd)
      throw cursor.fault('Say when, for example “weekdays at 17:00” or “every 15 minutes between 06:00 and 22:00”.')
    while (!cursor.isAtEnd) {
      if (cursor.take(',|;|.|:')) continue
      if (cursor.place > 0 && cursor.peek(1) && cursor.take('and')) continue
      if (!(
        this.readNever() ||
        this.readBounds() ||
        this.readZone() ||
        this.readTimesADay() ||
        this.readEvery() ||
        this.readDays() ||
        this.readTime()
      ))
        throw notUnderstood(cursor, this.calendars)
    }
    const { wantedTimes } = this
    if (wantedTimes && (!this.time || !('at' in this.time) || this.time.at.length !== wantedTimes.n))
      throw cursor.fault(
        `At which ${wantedTimes.n === 2 ? 'two' : wantedTimes.n} times? Add for example “at ${wantedTimes.n === 2 ? '06:00 and 18:00' : '06:00, 12:00 and 18:00'}”.`,
        wantedTimes.at,
      )
    if (!this.time)
      throw cursor.fault('A time of day is missing: add for example “at 17:00” or “every 15 minutes”.', undefined)
    const on = this.wanted()
    return {
      time: this.time,
      ...(on ? { on } : {}),
      ...(this.never.length > 0 ? { notOn: anyOf(this.never) } : {}),
      ...(this.zone === null ? {} : { zone: this.zone }),
      ...(this.from === null ? {} : { from: this.from }),
      ...(this.until === null ? {} : { until: this.until }),
    }
  }

  /** `except …`, `but not on …`, `never on …`. */
  private readNever(): boolean {
    const { cursor } = this
    cursor.take('but')
    const begins = cursor.take('except|excepting|excluding|without|not|never') && (cursor.take('on|for|in') || true)
    if (!begins) return false
    const months = cursor.attempt(() => this.days.months())
    const rule = months ? monthsRule(months) : this.days.set()
    if (!rule)
      throw notUnderstood(
        cursor,
        this.calendars,
        'Days are expected here, such as “Sundays” or “public holidays of GB”.',
      )
    this.never.push(rule)
    return true
  }

  /** `from 2027-03-01 until 2027-04-30`: the first and the last day of all of it. */
  private readBounds(): boolean {
    const { cursor } = this
    const day = (): string | null => {
      const token = cursor.next()
      if (token?.kind !== 'date') return null
      if (parseIsoDay(token.text) === undefined) throw cursor.fault(`${token.text} is not a day.`, token)
      return token.text
    }
    const from = cursor.attempt(() => (cursor.take('from|starting|since|beginning') ? day() : null))
    const until = cursor.attempt(() => (cursor.take('until|till|to|through') ? day() : null))
    this.from ??= from
    this.until ??= until
    return from !== null || until !== null
  }

  private readZone(): boolean {
    const start = this.cursor.peek()
    const zone = readZone(this.cursor)
    if (zone === null) return false
    if (this.zone !== null && this.zone !== zone) throw this.cursor.fault('There is a zone already.', start)
    this.zone = zone
    return true
  }

  /** `twice a day`, `three times a day`: which times they are must be said too. */
  private readTimesADay(): boolean {
    const { cursor } = this
    const at = cursor.peek()
    const n = cursor.attempt(() => {
      if (cursor.take('twice', 'a|each|every|per', 'day') || cursor.take('twice', 'daily')) return 2
      const count = at?.kind === 'number' ? Number(at.text) : (numberNamed(at?.text ?? '') ?? 0)
      cursor.next()
      return count > 0 && cursor.take('times', 'a|each|every|per', 'day') ? count : null
    })
    if (n !== null) this.wantedTimes = { n, at }
    return n !== null
  }

  private readTime(): boolean {
    const { cursor } = this
    const start = cursor.peek()
    const rule = cursor.attempt(() => this.times.rule())
    if (!rule) return false
    this.take(rule, start)
    return true
  }

  private take(rule: TimeRule, start: Token | undefined): void {
    if (this.time)
      throw this.cursor.fault(
        'There is a time already. Two different ones for different days take two triggers.',
        start,
      )
    this.time = rule
  }

  /** `every 2 weeks`, `every other Monday`, `monthly`, and recurrences “counted from” a day. */
  private readEvery(): boolean {
    const { cursor } = this
    const start = cursor.peek()
    const times = readRecurrence(cursor, 'times')
    if (times) {
      this.take(times.rule as TimeRule, start)
      return true
    }
    const recurring = readRecurrence(cursor, 'days')
    if (recurring) {
      this.on.push(recurring.rule as DayRule)
      return true
    }
    const cadence = cursor.attempt(() => this.readCadence())
    if (!cadence) return false
    if (this.cadence) throw cursor.fault('There is a cadence already.', start)
    this.cadence = cadence
    if (cadence.unit !== 'day') this.days.period = { in: cadence.unit }
    return true
  }

  private readCadence(): Cadence | null {
    const { cursor } = this
    if (cursor.take('daily|nightly')) return { unit: 'day', n: 1 }
    if (cursor.take('weekly')) return { unit: 'week', n: 1 }
    if (cursor.take('fortnightly')) return { unit: 'week', n: 2 }
    if (cursor.take('monthly')) return { unit: 'month', n: 1 }
    if (cursor.take('quarterly')) return { unit: 'quarter', n: 1 }
    if (cursor.take('yearly|annually')) return { unit: 'year', n: 1 }
    if (!cursor.take('every|each')) return null
    const part = cursor.peek()?.text
    if (cursor.take('morning|afternoon|evening|night')) {
      this.times.half = part === 'morning' ? 'am' : part === 'night' ? null : 'pm'
      return { unit: 'day', n: 1 }
    }
    const token = cursor.peek()
    let n = 1
    if (cursor.take('other')) n = 2
    else {
      const number =
        token?.kind === 'number'
          ? Number(token.text)
          : (numberNamed(token?.text ?? '') ?? ordinalNamed(token?.text ?? ''))
      if (number !== undefined) {
        n = number
        cursor.next()
      }
    }
    const unit = cursor.peek()?.text.replace(/s$/, '')
    if (unit === 'fortnight' && n === 1) {
      cursor.next()
      return { unit: 'week', n: 2 }
    }
    if (unit === 'day' || unit === 'week' || unit === 'month' || unit === 'quarter' || unit === 'year') {
      // “Every last day of the month” and “every 2nd day of the month” are days, not cadences.
      if (
        unit === 'day' &&
        /^(of|after|before|except)$/.test(cursor.peek(1)?.text ?? '') &&
        cursor.peek(1)?.text !== 'except'
      )
        return null
      if (!Number.isInteger(n) || n < 1 || n > 1000)
        throw cursor.fault(`“${token?.text}” is not a whole number of ${unit}s, from 1.`, token)
      cursor.next()
      return { unit, n }
    }
    // “Every other Monday”: the weekday of every other week.
    const isOrdinal = token?.text === 'other' || ordinalNamed(token?.text ?? '') !== undefined
    if (n > 1 && isOrdinal && weekdayNamed(unit ?? '') >= 0 && !/^(of|in)$/.test(cursor.peek(1)?.text ?? ''))
      return this.everyNthWeekday(unit ?? '', n, token)
    return null
  }

  /** “Every other Monday” is of every two weeks; “every third Wednesday” is said of months as often. */
  private everyNthWeekday(weekday: string, n: number, token: Token | undefined): Cadence {
    if (token?.text === 'other') return { unit: 'week', n }
    const name = WEEKDAY_NAMES[weekdayNamed(weekday)] as string
    throw this.cursor.fault(
      `This can mean two things. Write “the ${ordinal(n)} ${name} of the month”, or “every ${n} weeks on ${name}”.`,
      token,
    )
  }

  private readDays(): boolean {
    const { cursor } = this
    const months = cursor.attempt(() => (cursor.take('in|during') ? this.days.months() : null))
    const rule = months
      ? monthsRule(months)
      : cursor.attempt(() => {
          // “At the end of the month” is a day.
          void (cursor.take('on') || cursor.take('at'))
          return this.days.set()
        })
    if (rule) this.on.push(rule)
    return rule !== null
  }

  /** All that was said about days, together with the cadence. */
  private wanted(): DayRule | null {
    const { cadence, on } = this
    if (!cadence || (cadence.n === 1 && cadence.unit === 'day')) return on.length === 0 ? null : allOf(on)
    const hasDays = on.length > 0
    if (cadence.n === 1 && hasDays) return allOf(on)
    if (cadence.n === 1 || (cadence.unit === 'year' && !hasDays))
      throw new PhraseFault(
        `On which day of the ${cadence.unit}? Add for example ${cadence.unit === 'week' ? '“on Mondays”' : `“on the first day of the ${cadence.unit}”`}.`,
        this.cursor.text.length,
        0,
      )
    const direct = on.length === 1 ? directRule(cadence, on[0] as DayRule) : null
    if (direct) return { rrule: direct, start: COUNTED_FROM }
    return allOf([...on, { rrule: cadenceRule(cadence, hasDays), start: COUNTED_FROM }])
  }
}

/** The days of every so many weeks, months …: all of them when others narrow them down, else the first. */
function cadenceRule({ unit, n }: Cadence, hasDays: boolean): string {
  const every = `INTERVAL=${unit === 'quarter' ? n * 3 : n}`
  switch (unit) {
    case 'day':
      return `FREQ=DAILY;${every}`
    case 'week':
      return `FREQ=WEEKLY;${every};BYDAY=${hasDays ? 'MO,TU,WE,TH,FR,SA,SU' : 'MO'}`
    case 'month':
    case 'quarter':
      return `FREQ=MONTHLY;${every};BYMONTHDAY=${hasDays ? ALL_MONTH_DAYS.join() : '1'}`
    case 'year':
      return `FREQ=YEARLY;${every};BYMONTH=1,2,3,4,5,6,7,8,9,10,11,12;BYMONTHDAY=${ALL_MONTH_DAYS.join()}`
  }
}

/** Every n weeks on these weekdays, every n months on this day: one recurrence says it. */
function directRule({ unit, n }: Cadence, days: DayRule): string | null {
  if (unit === 'week' && 'weekdays' in days) return `FREQ=WEEKLY;INTERVAL=${n};BYDAY=${days.weekdays.join()}`
  if (unit !== 'month' || !('nth' in days) || days.nth.in !== 'month') return null
  const { n: place, of } = days.nth
  if (isEveryDay(of) && Math.abs(place) <= 31) return `FREQ=MONTHLY;INTERVAL=${n};BYMONTHDAY=${place}`
  const weekday = 'weekdays' in of && of.weekdays.length === 1 ? of.weekdays[0] : undefined
  return weekday && Math.abs(place) <= 5 ? `FREQ=MONTHLY;INTERVAL=${n};BYDAY=${place}${weekday}` : null
}
