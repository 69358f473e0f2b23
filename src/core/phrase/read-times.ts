import { timeOfDay } from '../calendar/days'
import { isoDuration } from '../timing/duration'
import type { TimeRule } from '../timing/rule'
import type { Cursor } from './cursor'
import { secondsOfToken } from './tokens'
import { numberNamed, ordinalNamed } from './words'

const UNIT_SECONDS: Readonly<Record<string, number>> = { second: 1, minute: 60, min: 60, hour: 3600 }
const DAY_SECONDS = 86_400

interface Span {
  readonly from?: string
  readonly until?: string
}

/** Reads times of day. Each reader gives null, the cursor where it was, when its kind of phrase does not begin here. */
export class TimeReader {
  /** “Every morning”: a bare hour is of this half of the day. */
  half: 'am' | 'pm' | null = null

  constructor(private readonly cursor: Cursor) {}

  rule(): TimeRule | null {
    const { cursor } = this
    return (
      cursor.attempt(() => this.cronLine()) ??
      cursor.attempt(() => this.pastTheHour()) ??
      cursor.attempt(() => this.every()) ??
      cursor.attempt(() => this.at())
    )
  }

  /** `at 17:00 and 21:30`, `5pm`, `at noon`. */
  private at(): TimeRule | null {
    const { cursor } = this
    const said = cursor.take('at')
    const first = this.timeOfDay()
    if (first === null) {
      const token = cursor.peek()
      const hours = said && cursor.attempt(() => this.bareHours())
      if (hours) return { at: hours.map(timeOfDay) }
      if (said && token?.kind === 'number') throw this.ambiguous()
      return null
    }
    const times = [first]
    for (;;) {
      const more = cursor.attempt(() => {
        const comma = cursor.take(',')
        if (!cursor.take('and|&|or') && !comma) return null
        cursor.take('at')
        return this.timeOfDay()
      })
      if (more === null) return { at: times.map(timeOfDay) }
      times.push(more)
    }
  }

  /** `9 and 17`: where one of them can only be on 24 hours, all are; after “every morning” and “every evening” the half of the day is known. */
  private bareHours(): number[] | null {
    const { cursor } = this
    const one = (): number | null => {
      const token = cursor.peek()
      if (token?.kind !== 'number' || !/^\d{1,2}$/.test(token.text) || Number(token.text) > 23) return null
      cursor.next()
      return Number(token.text)
    }
    const first = one()
    if (first === null) return null
    const hours = [first]
    for (;;) {
      const more = cursor.attempt(() => (cursor.take(',') || cursor.take('and|&') ? one() : null))
      if (more === null) break
      hours.push(more)
    }
    if (this.half && hours.every((hour) => hour >= 1 && hour <= 12))
      return hours.map((hour) => ((hour % 12) + (this.half === 'pm' ? 12 : 0)) * 3600)
    return hours.length > 1 && hours.some((hour) => hour > 12) ? hours.map((hour) => hour * 3600) : null
  }

  /** `half past 5pm`, `quarter to 17`: an hour that can be of both halves of the day is asked about. */
  private spokenTime(): number | null {
    const { cursor } = this
    const first = cursor.peek()
    const minutes = cursor.take('half', 'past')
      ? 30
      : cursor.take('quarter', 'past') || cursor.take('a', 'quarter', 'past')
        ? 15
        : cursor.take('quarter', 'to') || cursor.take('a', 'quarter', 'to')
          ? -15
          : null
    if (minutes === null) return null
    const token = cursor.peek()
    const whole = token?.kind === 'time' ? secondsOfToken(token.text) : undefined
    const named = cursor.take('noon|midday') ? 43_200 : cursor.take('midnight') ? 0 : undefined
    if (named !== undefined) return (named + minutes * 60 + DAY_SECONDS) % DAY_SECONDS
    if (whole !== undefined && whole % 3600 === 0) {
      cursor.next()
      return (whole + minutes * 60 + DAY_SECONDS) % DAY_SECONDS
    }
    const hour = token?.kind === 'number' ? Number(token.text) : numberNamed(token?.text ?? '')
    if (hour === undefined || !Number.isInteger(hour) || hour < 0 || hour > 23) return null
    cursor.next()
    if (hour >= 1 && hour <= 12 && !this.half) {
      const said = timeOfDay(((hour % 12) * 3600 + minutes * 60 + DAY_SECONDS) % DAY_SECONDS)
      const later = timeOfDay((((hour % 12) + 12) * 3600 + minutes * 60) % DAY_SECONDS)
      throw cursor.fault(`In the morning or in the evening? Write ${said} or ${later}.`, first)
    }
    const full = this.half && hour <= 12 ? (hour % 12) + (this.half === 'pm' ? 12 : 0) : hour
    return (full * 3600 + minutes * 60 + DAY_SECONDS) % DAY_SECONDS
  }

  private ambiguous(): Error {
    const token = this.cursor.peek()
    const n = Number(token?.text)
    const half =
      n >= 1 && n <= 12
        ? `: ${n}am or ${n}pm, or on 24 hours ${timeOfDay(n * 3600)}`
        : n < 24
          ? `: write ${timeOfDay(n * 3600)}`
          : ''
    return this.cursor.fault(`“${token?.text}” is not a time of day that can be told for sure${half}.`)
  }

  /** Seconds since midnight. */
  private timeOfDay(): number | null {
    const { cursor } = this
    if (cursor.take('noon|midday')) return 43_200
    if (cursor.take('midnight')) return 0
    const spoken = cursor.attempt(() => this.spokenTime())
    if (spoken !== null) return spoken
    const token = cursor.peek()
    if (token?.kind !== 'time') return null
    const seconds = secondsOfToken(token.text)
    if (seconds === undefined) throw cursor.fault(`There is no time of day ${token.text}.`)
    cursor.next()
    return seconds
  }

  /** In a span a bare hour is on 24 hours. */
  private spanTime(): number | null {
    const { cursor } = this
    const time = this.timeOfDay()
    if (time !== null) return time
    const token = cursor.peek()
    if (token?.kind !== 'number' || !/^\d{1,2}$/.test(token.text)) return null
    if (Number(token.text) > 23) throw cursor.fault(`There is no hour ${token.text}: hours go from 0 to 23.`)
    cursor.next()
    return Number(token.text) * 3600
  }

  /** `every 15 minutes between 06:00 and 22:00`, `hourly from 6 to 22`, `every half hour`. */
  private every(): TimeRule | null {
    const { cursor } = this
    const before = cursor.attempt(() => this.span())
    const seconds = cursor.take('hourly') ? 3600 : this.step()
    if (seconds === null) return null
    const minute = seconds === 3600 ? cursor.attempt(() => this.minuteOfTheHour()) : null
    const after = before ?? cursor.attempt(() => this.span())
    if (minute === null) return { every: { step: isoDuration(seconds), ...(after ?? {}) } }
    const from = after?.from === undefined ? 0 : (secondsOfToken(after.from) ?? 0)
    const first = Math.ceil((from - minute * 60) / 3600) * 3600 + minute * 60
    return { every: { step: isoDuration(seconds), ...(after ?? {}), from: timeOfDay(first % DAY_SECONDS) } }
  }

  /** `at :20`, `at 5 past`: the minute of each hour. */
  private minuteOfTheHour(): number | null {
    const { cursor } = this
    if (!cursor.take('at|on')) return null
    const hasColon = cursor.peek()?.text === ':'
    const minute = this.wholeNumber(59)
    if (minute === null) return null
    const hasWord = cursor.take('minute|minutes|min')
    const isPast = cursor.take('past') || cursor.take('after', 'the', 'hour')
    if (isPast) cursor.take('the', 'hour')
    return hasColon || isPast || hasWord ? minute : null
  }

  private step(): number | null {
    const { cursor } = this
    const start = cursor.peek()
    if (!cursor.take('every|each')) return null
    if (cursor.take('half') && (cursor.take('hour') || cursor.take('an', 'hour') || cursor.take('-', 'hour')))
      return 1800
    if (cursor.take('quarter', 'hour') || cursor.take('quarter', 'of', 'an', 'hour')) return 900
    // “Every second hour” is every two hours; “every second” alone is every second.
    const ordinal = cursor.attempt(() => {
      const n = cursor.take('other') ? 2 : ordinalNamed(cursor.next()?.text ?? '')
      return n !== undefined && UNIT_SECONDS[singular(cursor.peek()?.text)] !== undefined ? n : null
    })
    let seconds = this.amount(ordinal ?? undefined)
    if (seconds === null) return null
    for (;;) {
      const more = cursor.attempt(() => {
        cursor.take('and')
        return cursor.peek()?.kind === 'number' ? this.amount() : null
      })
      if (more === null) break
      seconds += more
    }
    if (seconds < 1 || seconds > DAY_SECONDS) throw cursor.fault('A step goes from one second to 24 hours.', start)
    return seconds
  }

  /** `15 minutes`, `hour`. */
  private amount(given?: number): number | null {
    const { cursor } = this
    const token = cursor.peek()
    let n = given ?? 1
    if (given === undefined) {
      const number = token?.kind === 'number' ? Number(token.text.replace(',', '.')) : numberNamed(token?.text ?? '')
      if (number !== undefined) {
        n = number
        cursor.next()
      }
    }
    const unit = singular(cursor.peek()?.text)
    const size = UNIT_SECONDS[unit]
    if (size === undefined) return null
    if (!Number.isInteger(n) || n < 0) {
      const whole =
        n * size > 0 && Number.isInteger((n * size) / 60) ? ` Did you mean every ${(n * size) / 60} minutes?` : ''
      throw cursor.fault(`“${token?.text} ${cursor.peek()?.text}” is not a whole number of ${unit}s.${whole}`, token)
    }
    cursor.next()
    return n * size
  }

  /** `between 06:00 and 22:00`, `from 6 to 22`, `from 06:00`, `until 22:00`. Both ends are in. */
  private span(): Span | null {
    const { cursor } = this
    cursor.take(',')
    if (cursor.take('between')) {
      const from = this.spanTime()
      if (from === null || !(cursor.take('and') || cursor.take('to') || cursor.take('-'))) return null
      const until = this.spanTime()
      return until === null ? null : { from: timeOfDay(from), until: timeOfDay(until) }
    }
    const hasFrom = cursor.take('from|starting|beginning')
    if (hasFrom) cursor.take('at')
    const from = hasFrom ? this.spanTime() : null
    if (hasFrom && from === null) return null
    const until = cursor.attempt(() => (cursor.take('to|until|till|through|-') ? this.spanTime() : null))
    if (from === null && until === null) return null
    return {
      ...(from === null ? {} : { from: timeOfDay(from) }),
      ...(until === null ? {} : { until: timeOfDay(until) }),
    }
  }

  /** `at minutes 0 and 30 of every hour`, `… of the hours 6 to 22`, `15 past every hour`: crontab times, which follow the clock. */
  private pastTheHour(): TimeRule | null {
    const { cursor } = this
    cursor.take('at')
    let minutes: string | null
    if (cursor.take('every', 'minute')) minutes = '*'
    else if (cursor.take('minute|minutes')) minutes = this.numbers(59)
    else {
      const named = cursor.take('half') ? 30 : cursor.take('quarter') ? 15 : null
      minutes = named !== null ? String(named) : this.numbers(59)
      if (named === null) cursor.take('minute|minutes|min')
      if (minutes === null || !cursor.take('past')) return null
      if (!cursor.take('every|each|the', 'hour')) return null
      return { cron: `${minutes} * * * *` }
    }
    if (minutes === null || !cursor.take('of|past')) return null
    const hours = this.hours()
    return hours === null ? null : { cron: `${minutes} ${hours} * * *` }
  }

  private hours(): string | null {
    const { cursor } = this
    if (cursor.take('every|each', 'hour')) return '*'
    const nth = cursor.attempt(() => {
      if (!cursor.take('every')) return null
      const n = ordinalNamed(cursor.next()?.text ?? '')
      return n !== undefined && cursor.take('hour') ? n : null
    })
    if (nth !== null) return `*/${nth}`
    return cursor.take('the', 'hours') || cursor.take('the', 'hour') ? this.numbers(23) : null
  }

  /** `0, 15 and 30`, `6 to 22`, as a crontab list. */
  private numbers(most: number): string | null {
    const { cursor } = this
    const one = (): string | null => {
      const from = this.wholeNumber(most)
      if (from === null) return null
      const to = cursor.attempt(() => (cursor.take('to|-') ? this.wholeNumber(most) : null))
      return to === null ? String(from) : `${from}-${to}`
    }
    const first = one()
    if (first === null) return null
    const out = [first]
    for (;;) {
      const more = cursor.attempt(() => (cursor.take(',') || cursor.take('and') ? one() : null))
      if (more === null) return out.join()
      out.push(more)
    }
  }

  private wholeNumber(most: number): number | null {
    const { cursor } = this
    // Of `:15` the colon is passed over.
    cursor.take(':')
    const token = cursor.peek()
    if (token?.kind !== 'number' || !/^\d{1,2}$/.test(token.text) || Number(token.text) > most) return null
    cursor.next()
    return Number(token.text)
  }

  /** `at the times of the crontab line “*\/15 6-22 * * 1-5”`. */
  private cronLine(): TimeRule | null {
    const { cursor } = this
    cursor.take('at', 'the', 'times', 'of')
    if (!cursor.take('the', 'crontab', 'line')) return null
    const token = cursor.next()
    return token?.kind === 'quoted' ? { cron: token.text } : null
  }
}

const singular = (word: string | undefined): string => (word ?? '').replace(/s$/, '')
