import { compileDays, dayOfEntry, nthMember, type RuleContext } from '../calendar/compile'
import type { Calendar } from '../calendar/calendars'
import { civil, isoDay, parseIsoDay, periodAround, weekdayIndex, type Day } from '../calendar/days'
import { rollTarget, shiftTarget } from '../calendar/moved'
import { REACH_DAYS, type DayRule, type NthRule, type RollRule, type ShiftRule } from '../calendar/rule'
import { DaySayer, sayHolidays } from './say-days'
import { listed, MONTH_NAMES, ordinal, WEEKDAY_NAMES } from './words'

/** One part of a rule, what it says of a day, and what that rests on. */
export interface Explanation {
  /** The form of the part: `weekdays`, `nth`, `calendar` … */
  readonly rule: string
  readonly day: string
  readonly in: boolean
  /** One sentence. */
  readonly says: string
  readonly parts: readonly Explanation[]
}

export interface ExplainContext extends RuleContext {
  readonly find: (id: string) => Calendar | undefined
}

/** Why a day is in a rule's set or not: the rule's tree, with each part's verdict and a sentence. */
export function explainDay(
  rule: DayRule,
  day: Day,
  context: ExplainContext,
  calendars: readonly Calendar[],
): Explanation {
  return new Explainer(context, new DaySayer(calendars)).explain(rule, day)
}

/** `Fri 16 Apr 2027` */
export function sayDay(day: Day): string {
  const { year, month, day: dayOfMonth } = civil(day)
  return `${(WEEKDAY_NAMES[weekdayIndex(day)] as string).slice(0, 3)} ${dayOfMonth} ${(MONTH_NAMES[month - 1] as string).slice(0, 3)} ${year}`
}

class Explainer {
  constructor(
    private readonly context: ExplainContext,
    private readonly sayer: DaySayer,
  ) {}

  explain(rule: DayRule, day: Day): Explanation {
    const isIn = compileDays(rule, this.context).has(day)
    const node = (says: string, parts: readonly Explanation[] = []): Explanation => ({
      rule: Object.keys(rule)[0] as string,
      day: isoDay(day),
      in: isIn,
      says,
      parts,
    })
    const date = sayDay(day)
    if ('weekdays' in rule)
      return node(
        `${date} is a ${WEEKDAY_NAMES[weekdayIndex(day)]}; ${this.sayer.set(rule)} ${isIn ? 'take it in' : 'do not'}.`,
      )
    if ('dates' in rule) {
      const entry = rule.dates.find((each) => dayOfEntry(each) === day)
      const title = typeof entry === 'object' ? entry.title : undefined
      return node(
        entry === undefined
          ? `${date} is not among the ${count(rule.dates.length, 'day')} listed.`
          : `${date} is listed${title ? `: ${title}` : ''}.`,
      )
    }
    if ('between' in rule) return node(`${date} lies ${isIn ? 'within' : 'outside'} ${this.sayer.set(rule)}.`)
    if ('holidays' in rule) {
      const { year } = civil(day)
      const found = [year - 1, year]
        .flatMap((y) => this.context.holidays.holidays(rule.holidays, y))
        .filter((h) => h.day === day)
      const what = sayHolidays(rule.holidays)
      return node(
        isIn
          ? `${date} is ${listed(found.map((h) => h.name))}, one of the ${what}.`
          : `${date} is none of the ${what}.`,
      )
    }
    if ('rrule' in rule) return node(this.recurrence(rule, day, isIn))
    if ('any' in rule) {
      const parts = rule.any.map((each) => this.explain(each, day))
      const yes = parts.filter((part) => part.in).length
      return node(
        isIn
          ? `${date} is in ${yes} of the ${parts.length} sets, and one is enough.`
          : `${date} is in none of the ${parts.length} sets.`,
        parts,
      )
    }
    if ('all' in rule) {
      const parts = rule.all.map((each) => this.explain(each, day))
      const no = parts.filter((part) => !part.in).length
      return node(
        isIn
          ? `${date} is in all ${parts.length} sets.`
          : `${date} is missing from ${no} of the ${parts.length} sets, and all are needed.`,
        parts,
      )
    }
    if ('not' in rule) {
      const part = this.explain(rule.not, day)
      return node(`${date} is ${part.in ? 'in' : 'not in'} what is taken away, so it is ${isIn ? 'in' : 'not in'}.`, [
        part,
      ])
    }
    if ('calendar' in rule) {
      const inner = this.context.find(rule.calendar)
      const says = `${date} is ${isIn ? '' : 'not '}in the calendar ${this.sayer.nameOf(rule.calendar)}.`
      return node(says, inner ? [this.explain(inner.days, day)] : [])
    }
    if ('nth' in rule) return node(...this.nth(rule.nth, day, isIn))
    if ('shift' in rule) return node(...this.shift(rule.shift, day, isIn))
    return node(...this.roll(rule.roll, day, isIn))
  }

  private recurrence(rule: Extract<DayRule, { rrule: string }>, day: Day, isIn: boolean): string {
    const said = this.sayer.recurrence(rule)
    if (isIn) return `${sayDay(day)} is one of the days ${said}.`
    const set = compileDays(rule, this.context)
    const start = parseIsoDay(rule.start) as Day
    if (day < start) return `${sayDay(day)} comes before ${sayDay(start)}, from which the days ${said} are counted.`
    const [before, after] = [set.last(day - REACH_DAYS, day - 1), set.first(day + 1, day + REACH_DAYS)]
    const near = [before, after].filter((each) => !Number.isNaN(each)).map(sayDay)
    return `${sayDay(day)} is none of the days ${said}${near.length > 0 ? `; the nearest ${near.length === 1 ? 'is' : 'are'} ${listed(near)}` : ''}.`
  }

  private nth({ n, of, in: unit, yearStart }: NthRule, day: Day, isIn: boolean): [string, Explanation[]] {
    const [first, last] = periodAround(day, unit, yearStart)
    const set = compileDays(of, this.context)
    const chosen = nthMember(set, n, first, last)
    const among = `${count(set.count(first, last), 'day')} of its set in ${sayPeriod(first, last, unit)}`
    const place = `the ${ordinal(n)} of ${among}`
    const says = isIn
      ? `${sayDay(day)} is ${place}.`
      : Number.isNaN(chosen)
        ? `There is no ${ordinal(n)} among ${among}.`
        : `${sayDay(chosen)} is ${place}, not ${sayDay(day)}.`
    return [says, [this.explain(of, isIn || Number.isNaN(chosen) ? day : chosen)]]
  }

  private shift({ of, days, counting }: ShiftRule, day: Day, isIn: boolean): [string, Explanation[]] {
    const from = compileDays(of, this.context)
    const by = counting ? compileDays(counting, this.context) : null
    const way = `${count(Math.abs(days), 'day')}${counting ? ` of ${this.sayer.set(counting)}` : ''} ${days < 0 ? 'back' : 'on'}`
    const target = (each: Day): Day => (by ? shiftTarget(each, days, by) : each + days)
    if (isIn) {
      const source = nearestSource(day, (each) => from.has(each) && target(each) === day)
      if (!Number.isNaN(source))
        return [`${sayDay(source)} moves ${way}, onto ${sayDay(day)}.`, [this.explain(of, source)]]
    }
    if (from.has(day)) {
      const to = target(day)
      const says = Number.isNaN(to)
        ? `${sayDay(day)} would move ${way}, but there is no such day.`
        : `${sayDay(day)} itself moves ${way}, to ${sayDay(to)}.`
      return [says, [this.explain(of, day)]]
    }
    return [`No day moves ${way} onto ${sayDay(day)}.`, [this.explain(of, day)]]
  }

  private roll({ of, onto, to }: RollRule, day: Day, isIn: boolean): [string, Explanation[]] {
    const from = compileDays(of, this.context)
    const target = compileDays(onto, this.context)
    const name = this.sayer.set(onto)
    if (isIn) {
      if (from.has(day))
        return [`${sayDay(day)} lies in ${name} and stays.`, [this.explain(of, day), this.explain(onto, day)]]
      const source = nearestSource(day, (each) => from.has(each) && rollTarget(each, target, to) === day)
      if (!Number.isNaN(source))
        return [
          `${sayDay(source)} does not lie in ${name}, so it moves to ${sayDay(day)}.`,
          [this.explain(of, source), this.explain(onto, source)],
        ]
    }
    if (from.has(day)) {
      const moved = rollTarget(day, target, to)
      const says = Number.isNaN(moved)
        ? `${sayDay(day)} does not lie in ${name}, and there is no day to move to.`
        : `${sayDay(day)} does not lie in ${name}, so it moves to ${sayDay(moved)}.`
      return [says, [this.explain(of, day), this.explain(onto, day)]]
    }
    return [`No day moves onto ${sayDay(day)}.`, [this.explain(of, day), this.explain(onto, day)]]
  }
}

/** The nearest day within reach from which a day was reached; NaN if none. */
function nearestSource(day: Day, isSource: (day: Day) => boolean): Day {
  for (let distance = 0; distance <= REACH_DAYS; distance++) {
    if (isSource(day - distance)) return day - distance
    if (isSource(day + distance)) return day + distance
  }
  return NaN
}

function sayPeriod(first: Day, last: Day, unit: NthRule['in']): string {
  const { year, month } = civil(first)
  if (unit === 'month') return `${MONTH_NAMES[month - 1]} ${year}`
  return `the ${unit} ${sayDay(first)} to ${sayDay(last)}`
}

const count = (n: number, word: string): string => `${n} ${word}${n === 1 ? '' : 's'}`
