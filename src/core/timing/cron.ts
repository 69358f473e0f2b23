import type { Parsed } from '../calendar/recurrence-parse'

/** A POSIX crontab time (crontab(1), "crontab file"), each field as the ascending list of its values. */
export interface Cron {
  readonly minutes: readonly number[]
  readonly hours: readonly number[]
  readonly daysOfMonth: readonly number[]
  /** 1 to 12 */
  readonly months: readonly number[]
  /** 0 (Sunday) to 6 */
  readonly daysOfWeek: readonly number[]
  /** The hour field begins with `*`: the rule follows the clock as shown. */
  readonly followsClock: boolean
  /** Both day fields are restricted: either of them is enough. */
  readonly eitherDay: boolean
}

interface FieldKind {
  readonly name: string
  readonly from: number
  readonly to: number
  readonly names?: readonly string[]
}

const MONTH_NAMES = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec']
const DAY_NAMES = ['sun', 'mon', 'tue', 'wed', 'thu', 'fri', 'sat']
const FIELDS: readonly FieldKind[] = [
  { name: 'minute', from: 0, to: 59 },
  { name: 'hour', from: 0, to: 23 },
  { name: 'day of the month', from: 1, to: 31 },
  { name: 'month', from: 1, to: 12, names: MONTH_NAMES },
  { name: 'day of the week', from: 0, to: 7, names: DAY_NAMES },
]

class Fault extends Error {}

/** All lists written out in full come to less. */
const MOST_CHARACTERS = 2000

/** Parses the five fields. A fault names the field and what was expected. */
export function parseCron(text: string): Parsed<Cron> {
  if (text.length > MOST_CHARACTERS)
    return { ok: false, fault: `A crontab time has at most ${MOST_CHARACTERS} characters.` }
  const words = text.trim().split(/\s+/)
  if (text.trim() === '' || words.length !== 5)
    return {
      ok: false,
      fault: `A crontab time has five fields (minute, hour, day of the month, month, day of the week); this has ${text.trim() === '' ? 0 : words.length}.`,
    }
  try {
    const [minutes, hours, daysOfMonth, months, daysOfWeek] = words.map((word, i) =>
      parseField(word, FIELDS[i] as FieldKind),
    ) as [number[], number[], number[], number[], number[]]
    const isRestricted = (i: number): boolean => !(words[i] as string).startsWith('*')
    return {
      ok: true,
      value: {
        minutes,
        hours,
        daysOfMonth,
        months,
        daysOfWeek: [...new Set(daysOfWeek.map((d) => d % 7))].sort((a, b) => a - b),
        followsClock: !isRestricted(1),
        eitherDay: isRestricted(2) && isRestricted(4),
      },
    }
  } catch (error) {
    if (error instanceof Fault) return { ok: false, fault: error.message }
    throw error
  }
}

function parseField(text: string, kind: FieldKind): number[] {
  const values = new Set<number>()
  for (const item of text.split(',')) for (const value of parseItem(item, kind)) values.add(value)
  return [...values].sort((a, b) => a - b)
}

function parseItem(item: string, kind: FieldKind): number[] {
  const parts = /^(\*|[A-Za-z0-9]+(?:-[A-Za-z0-9]+)?)(?:\/(.*))?$/.exec(item)
  const body = parts?.[1]
  if (body === undefined)
    throw new Fault(
      `“${item}” in the field ${kind.name}: expected *, a number, a range such as ${kind.from}-${kind.to}, a list, or a step such as */2.`,
    )
  const [low, high] = body.split('-') as [string, string?]
  const isWhole = body === '*'
  const from = isWhole ? kind.from : valueOf(low, kind, item)
  let to = isWhole ? kind.to : high === undefined ? from : valueOf(high, kind, item)
  // SUN at the end of a range is 7.
  if (kind.names === DAY_NAMES && high?.toLowerCase() === 'sun') to = 7
  // `*` of the weekdays is 0 to 6; 7 is another name for 0.
  if (kind.names === DAY_NAMES && isWhole) to = 6
  if (to < from) throw new Fault(`“${item}” in the field ${kind.name}: a range ascends.`)
  const stepText = parts?.[2]
  let step = 1
  if (stepText !== undefined) {
    if (!isWhole && high === undefined)
      throw new Fault(`“${item}” in the field ${kind.name}: a step needs * or a range before it.`)
    if (!/^\d{1,4}$/.test(stepText) || Number(stepText) < 1)
      throw new Fault(`“${item}” in the field ${kind.name}: a step is a whole number from 1.`)
    step = Number(stepText)
  }
  const out: number[] = []
  for (let value = from; value <= to; value += step) out.push(value)
  return out
}

function valueOf(text: string, kind: FieldKind, item: string): number {
  const named = kind.names?.indexOf(text.toLowerCase()) ?? -1
  if (named >= 0) return named + (kind.names === MONTH_NAMES ? 1 : 0)
  if (!/^\d{1,2}$/.test(text) || Number(text) < kind.from || Number(text) > kind.to) {
    const names = kind.names ? `, or ${kind.names[0]} to ${kind.names.at(-1)}` : ''
    throw new Fault(`“${item}” in the field ${kind.name}: expected ${kind.from} to ${kind.to}${names}.`)
  }
  return Number(text)
}
