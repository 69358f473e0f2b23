import type { Command } from 'commander'
import { Timings } from '@/core/bundle/timings'
import { SHIPPED_HOLIDAYS } from '@/core/calendar/holiday-data'
import { happenedSchema, replay, type Happened, type Replayed } from '@/core/events/replay'
import { isTimed } from '@/core/events/kinds'
import { faultsFrom } from '@/core/schema/faults'
import { zoneOf, type Zone } from '@/core/timing/zone'
import { BadInput } from './bad-input'
import { bundleOf, read, wordsOfFaults } from './file'

export const EVENT_COMMANDS = ['replay']
const MOST_LINES = 1_000_000

interface Options {
  readonly trigger?: string
  readonly events?: string
}

/** What triggers that wait for something to happen would have started, without a server. */
export function addEventCommands(program: Command): void {
  program
    .command('replay')
    .argument('<file>', 'a bundle')
    .option('--trigger <id>', 'of this trigger')
    .option('--events <file>', 'what happened: a line of JSON for each, ascending in time')
    .description('says what a trigger would have started of what happened')
    .action(
      (file: string, options: Options) => void process.stdout.write(`${JSON.stringify(replayed(file, options))}\n`),
    )
}

function replayed(file: string, { trigger: id, events }: Options): Replayed[] {
  if (id === undefined || events === undefined) throw new BadInput('replay takes --trigger ID and --events FILE.jsonl.')
  const bundle = bundleOf(file)
  const trigger = bundle.triggers.find((each) => each.id === id)
  if (!trigger) throw new BadInput(`--trigger: there is no trigger ${id} in the file.`)
  if (isTimed(trigger)) throw new BadInput(`--trigger: ${id} goes by the clock; see occurrences.`)
  const timings = new Timings(bundle.calendars, SHIPPED_HOLIDAYS, bundle.zone)
  const { from, until, between } = trigger
  const zone = zoneOf(trigger.zone ?? bundle.zone) as Zone
  const days = { zone, eligible: timings.eligibleDays(trigger), from, until, between }
  return replay(trigger, days, happenedIn(events))
}

function happenedIn(file: string): Happened[] {
  const lines = read(file).split('\n')
  if (lines.length > MOST_LINES) throw new BadInput(`--events: more than ${MOST_LINES.toLocaleString('en')} lines.`)
  let before = -Infinity
  return lines.flatMap((line, i): Happened[] => {
    if (line.trim() === '') return []
    const where = `--events: line ${i + 1}`
    let raw: unknown
    try {
      raw = JSON.parse(line)
    } catch (error) {
      throw new BadInput(`${where} is not JSON: ${(error as Error).message}`)
    }
    const parsed = happenedSchema.safeParse(raw)
    if (!parsed.success) throw new BadInput(`${where}: ${wordsOfFaults(faultsFrom(parsed.error, raw))}`)
    const at = Date.parse(parsed.data.at)
    if (at < before) throw new BadInput(`${where} comes before the line above it.`)
    before = at
    return [parsed.data]
  })
}
