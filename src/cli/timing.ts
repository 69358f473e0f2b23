import type { Command } from 'commander'
import { checkBundleText } from '@/core/bundle/check'
import { bundleJsonSchema, type Bundle } from '@/core/bundle/schema'
import { Timings } from '@/core/bundle/timings'
import { compileDays } from '@/core/calendar/compile'
import { isoDay, LAST_DAY, type Day } from '@/core/calendar/days'
import { holidayFault, SHIPPED_HOLIDAYS } from '@/core/calendar/holiday-data'
import { isTimed } from '@/core/events/kinds'
import { homeOf, type Home } from '@/core/phrase/names'
import type { DayRule } from '@/core/calendar/rule'
import { explainDay } from '@/core/phrase/explain'
import { PhraseFault, readPhrase } from '@/core/phrase/read'
import { say } from '@/core/phrase/say'
import { isoInstant, isoLocal } from '@/core/timing/instants'
import { zoneOf, type Zone } from '@/core/timing/zone'
import { BadInput } from './bad-input'
import { instantOption } from './options'
import { bundleOf, dayOption, read } from './file'

export const TIMING_COMMANDS = ['occurrences', 'days', 'explain', 'phrase', 'check', 'schema']

const MOST = 100_000
const AT_MOST = `More than ${MOST.toLocaleString('en')}`

interface Options {
  readonly trigger?: string
  readonly calendar?: string
  readonly all?: true
  readonly from?: string
  readonly to?: string
  readonly day?: string
  readonly limit?: string
  readonly bundle?: string
  readonly country?: string
}

/** Commands that work on a bundle file alone, without a server. */
export function addTimingCommands(program: Command, print: (value: unknown) => void): void {
  const line = (value: unknown): void => void process.stdout.write(`${JSON.stringify(value)}\n`)

  program
    .command('occurrences')
    .argument('<file>', 'a bundle')
    .option('--trigger <id>', 'of this trigger')
    .option('--all', 'of every enabled time trigger')
    .option('--from <instant>', 'the first instant, included')
    .option('--to <instant>', 'the last instant, excluded')
    .option('--limit <n>', 'at most so many of each trigger')
    .description('prints when triggers fire')
    .action((file: string, options: Options) => line(occurrences(bundleOf(file), options)))

  program
    .command('days')
    .argument('<file>', 'a bundle')
    .option('--calendar <id>', 'of this calendar')
    .option('--all', 'of every calendar')
    .option('--from <day>', 'the first day, included')
    .option('--to <day>', 'the last day, included')
    .option('--limit <n>', 'at most so many of each calendar')
    .description('prints the days of calendars')
    .action((file: string, options: Options) => line(days(bundleOf(file), options)))

  program
    .command('explain')
    .argument('<file>', 'a bundle')
    .option('--calendar <id>', 'of this calendar')
    .option('--day <day>', 'the day asked about')
    .description('says why a day is in a calendar or not')
    .action((file: string, options: Options) => print(explain(bundleOf(file), options)))

  program
    .command('phrase')
    .argument('<text>', 'such as "last working day of the month at 18:30"')
    .option('--bundle <file>', 'whose calendars the phrase may name')
    .option('--country <code>', 'whose holidays are meant where none is named, such as GB or GB-SCT')
    .description('turns words into a time rule and days')
    .action((text: string, options: Options) => line(phrase(text, options)))

  program
    .command('check')
    .argument('<file>', 'a bundle')
    .description('prints all that is wrong with a bundle')
    .action((file: string) => {
      const checked = checkBundleText(read(file))
      line(checked.ok ? { ok: true } : { ok: false, faults: checked.faults })
      if (!checked.ok) throw new BadInput('')
    })

  program
    .command('schema')
    .description('prints the JSON Schema (2020-12) of a bundle')
    .action(() => print(bundleJsonSchema()))
}

function occurrences(bundle: Bundle, options: Options): unknown {
  const from = instantOption('--from', options.from)
  const to = instantOption('--to', options.to)
  if (to < from) throw new BadInput('--to comes before --from.')
  const limit = limitOption(options.limit)
  const timings = new Timings(bundle.calendars, SHIPPED_HOLIDAYS, bundle.zone)
  const one = onlyOne(options, '--trigger', options.trigger)
  const wanted =
    one === null
      ? bundle.triggers.filter((trigger) => trigger.enabled && isTimed(trigger))
      : bundle.triggers.filter(({ id }) => id === one)
  if (one !== null && wanted.length === 0) throw new BadInput(`--trigger: there is no trigger ${one} in the file.`)
  const timed = wanted.filter(isTimed)
  if (timed.length < wanted.length)
    throw new BadInput(`--trigger: ${one ?? ''} starts by what happens; it has no occurrences ahead.`)
  let left = MOST
  const lists = timed.map((trigger): readonly [string, unknown[]] => {
    const zone = zoneOf(trigger.zone ?? bundle.zone) as Zone
    const found = timings.schedule(trigger).between(from, to, limit ?? left + 1)
    if (limit === undefined && (left -= found.length) < 0)
      throw new BadInput(`${AT_MOST} occurrences. Ask for a shorter stretch, or for the first with --limit N.`)
    return [trigger.id, found.map(({ at }) => ({ at: isoInstant(at), local: isoLocal(at, zone) }))]
  })
  return one === null ? Object.fromEntries(lists) : lists[0]?.[1]
}

function days(bundle: Bundle, options: Options): unknown {
  const from = dayOption('--from', options.from)
  const to = dayOption('--to', options.to)
  if (to < from) throw new BadInput('--to comes before --from.')
  const limit = limitOption(options.limit)
  if (limit === undefined && to - from + 1 > MOST)
    throw new BadInput(
      `${AT_MOST} days from --from to --to. Ask for a shorter stretch, or for the first with --limit N.`,
    )
  const timings = new Timings(bundle.calendars, SHIPPED_HOLIDAYS, bundle.zone)
  const one = onlyOne(options, '--calendar', options.calendar)
  if (one !== null) return listOf(timings, calendarOption(timings, one), from, to, limit)
  return Object.fromEntries(timings.calendars.ids.map((id) => [id, listOf(timings, id, from, to, limit)]))
}

function listOf(timings: Timings, id: string, from: Day, to: Day, limit = Infinity): string[] {
  const set = timings.calendars.calendar(id)
  const out: string[] = []
  for (let day = set.first(from, to); !Number.isNaN(day) && out.length < limit; day = set.first(day + 1, to))
    out.push(isoDay(day))
  return out
}

function explain(bundle: Bundle, options: Options): unknown {
  const day = dayOption('--day', options.day)
  const { calendars } = new Timings(bundle.calendars, SHIPPED_HOLIDAYS, bundle.zone)
  if (options.calendar === undefined) throw new BadInput('--calendar ID is missing.')
  const calendar = calendars.find(options.calendar)
  if (!calendar) throw new BadInput(`--calendar: there is no calendar ${options.calendar} in the file.`)
  const because = explainDay(calendar.days, day, calendars, bundle.calendars)
  return { day: isoDay(day), in: because.in, because }
}

function homeOption(code: string | undefined): Home | null {
  if (code === undefined) return null
  const home = homeOf(code)
  const fault = holidayFault(home)
  if (fault) throw new BadInput(`--country: ${fault.message}`)
  return home
}

function phrase(text: string, options: Options): unknown {
  const bundle = options.bundle === undefined ? null : bundleOf(options.bundle)
  const calendars = bundle?.calendars ?? []
  try {
    const { time, on, notOn, zone, from, until } = readPhrase(text, calendars, homeOption(options.country))
    const context = new Timings(calendars, SHIPPED_HOLIDAYS, bundle?.zone ?? 'UTC').calendars
    const today = Math.floor(Date.now() / 86_400_000)
    const next = (rule: DayRule): string | undefined => {
      const day = compileDays(rule, context).first(today, LAST_DAY)
      return Number.isNaN(day) ? undefined : isoDay(day)
    }
    return {
      ...(on ? { on } : {}),
      ...(notOn ? { notOn } : {}),
      time,
      ...(zone === undefined ? {} : { zone }),
      ...(from === undefined ? {} : { from }),
      ...(until === undefined ? {} : { until }),
      says: say({ time, on, notOn }, calendars, next),
    }
  } catch (error) {
    if (!(error instanceof PhraseFault)) throw error
    throw new BadInput(
      `At character ${error.at + 1}: ${error.message}\n  ${text}\n  ${' '.repeat(error.at)}${'^'.repeat(Math.max(1, error.length))}`,
    )
  }
}

/** The id given, or null for --all. */
function onlyOne(options: Options, name: string, id: string | undefined): string | null {
  if (id !== undefined && options.all) throw new BadInput(`Give either ${name} ID or --all, not both.`)
  if (id === undefined && !options.all) throw new BadInput(`Give ${name} ID, or --all.`)
  return id ?? null
}

function calendarOption(timings: Timings, id: string): string {
  if (!timings.calendars.find(id)) throw new BadInput(`--calendar: there is no calendar ${id} in the file.`)
  return id
}

function limitOption(text: string | undefined): number | undefined {
  if (text === undefined) return undefined
  if (!/^\d{1,9}$/.test(text) || Number(text) < 1)
    throw new BadInput(`--limit: “${text}” is not a whole number from 1.`)
  return Number(text)
}
