import type { Command } from 'commander'
import { changesSchema, withChanges, type Change } from '@/core/forecast/change'
import { differenceOf } from '@/core/forecast/difference'
import { modelOf } from '@/core/forecast/build'
import { ForecastFault, type Model } from '@/core/forecast/model'
import { recorded, told, type Forecast } from '@/core/forecast/report'
import { withSamples } from '@/core/forecast/sampled'
import type { Bundle } from '@/core/bundle/schema'
import { scored, type Scored, type ToldRow } from '@/core/stats/scores'
import { parseDuration } from '@/core/timing/duration'
import type { Score } from '@/core/tuning/board'
import { loadSolver } from '@/core/tuning/highs'
import { tune } from '@/core/tuning/tune'
import { pathOf } from '@/core/schema/faults'
import { BadInput } from './bad-input'
import { bundleOf, jsonOf } from './file'
import { instantOption, wholeOption } from './options'
import { ask, withServer } from './remote'
import { sampleAll } from './sampling'

export const FORECAST_COMMANDS = ['forecast', 'tune']

interface Options {
  readonly server?: string
  readonly token?: string
  readonly backtest?: string
  readonly from?: string
  readonly hours?: string
  readonly samples?: string
  readonly seed?: string
  readonly change?: string
}

const MOST_HOURS = 24 * 366
const MOST_SAMPLES = 100_000
/** Progress is told from then on, at most so often. Milliseconds. */
const QUIET_MS = 1000

export function addForecastCommands(program: Command, print: (value: unknown) => void): void {
  withServer(program.command('forecast'))
    .description(
      'what will run when and where, and which deadlines are met, by usual lengths; with --samples how sure that is',
    )
    .argument('[file]', 'a bundle; without one the server is asked')
    .option('--from <instant>', 'where the stretch begins, included')
    .option('--hours <number>', 'how long it is')
    .option('--samples <number>', 'how often to play it with lengths drawn')
    .option('--seed <number>', 'of the draws (1)')
    .option('--change <file>', 'what if: a list of changes; prints before, after and difference')
    .option(
      '--backtest <days>',
      'of a server: forecasts as they would have been made of the deadlines of the last days, scored',
    )
    .action(async (file: string | undefined, options: Options) =>
      print(file === undefined ? await forecastOfServer(options) : await forecast(file, options)),
    )

  withServer(program.command('tune'))
    .description('start times that even the load and save deadlines, with what no answer can be better than')
    .argument('[file]', 'a bundle; without one the server is asked')
    .option('--from <instant>', 'where the stretch begins, included')
    .option('--hours <number>', 'how long it is')
    .option('--grid <duration>', 'starts move by whole steps of this (PT5M)')
    .option('--seconds <number>', 'how long it may take (10)')
    .option('--only <ids>', 'triggers that may move, with commas between')
    .option('--keep <ids>', 'triggers that may not')
    .action(async (file: string | undefined, options: TuneOptions) =>
      print(file === undefined ? await tunedByServer(options) : await tuned(file, options)),
    )
}

const MOST_SECONDS = 3600

interface TuneOptions extends Options {
  readonly grid?: string
  readonly seconds?: string
  readonly only?: string
  readonly keep?: string
}

/** Samples, and seconds of a search, that a server grants at once. */
const [SERVER_SAMPLES, SERVER_SECONDS, SERVER_DAYS] = [1000, 25, 400]

/** What a server's own nights say: from what runs and waits there, with the lengths that it measured. */
async function forecastOfServer(options: Options): Promise<unknown> {
  const days = wholeOption('--backtest', options.backtest, 1, SERVER_DAYS)
  if (days !== undefined) return backtestOf(options, days)
  const samples = wholeOption('--samples', options.samples, 0, SERVER_SAMPLES) ?? 0
  const stretch = { ...stretchOf(options), samples }
  if (options.change !== undefined) {
    const request = JSON.stringify({ ...stretch, changes: changesOf(options.change) })
    const { before, after, difference } = (await ask(options, 'POST', '/tuning/what-if', request)) as Record<
      'before' | 'after',
      { forecast: unknown }
    > & { difference: unknown }
    return { before: before.forecast, after: after.forecast, difference }
  }
  const query = new URLSearchParams({ ...stretch, hours: String(stretch.hours), samples: String(samples) })
  return ((await ask(options, 'GET', `/tuning/night?${query.toString()}`)) as { forecast: unknown }).forecast
}

/** In parts, as a server works them out; told how far it is. */
async function backtestOf(options: Options, days: number): Promise<Scored & { forecasts: number }> {
  const rows: ToldRow[] = []
  let forecasts = 0
  for (let before: string | null | undefined; before !== null;) {
    const request = JSON.stringify({ days, ...(before ? { before } : {}) })
    const part = (await ask(options, 'POST', '/tuning/backtest', request)) as {
      rows: ToldRow[]
      forecasts: number
      next: string | null
    }
    rows.push(...part.rows)
    forecasts += part.forecasts
    before = part.next
    if (before) console.error(`${forecasts} forecasts, back to ${before}`)
  }
  return { ...scored(rows), forecasts }
}

async function tunedByServer(options: TuneOptions): Promise<unknown> {
  const ids = (text: string | undefined): string[] | undefined => text?.split(',').map((id) => id.trim())
  const { proposal } = (await ask(
    options,
    'POST',
    '/tuning/search',
    JSON.stringify({
      ...stretchOf(options),
      grid: gridOption(options.grid) / 60,
      seconds: wholeOption('--seconds', options.seconds, 1, SERVER_SECONDS) ?? 10,
      only: ids(options.only) ?? null,
      keep: ids(options.keep) ?? [],
    }),
  )) as { proposal: unknown }
  return proposal
}

const stretchOf = (options: Options): { from: string; hours: number } => ({
  from: new Date(fromOption(options) * 1000).toISOString(),
  hours: hoursOption(options),
})

async function tuned(file: string, options: TuneOptions): Promise<unknown> {
  const began = performance.now()
  const bundle = bundleOf(file)
  const [from, hours] = [fromOption(options), hoursOption(options)]
  const request = {
    grid: gridOption(options.grid),
    only: options.only === undefined ? null : idsOption(bundle, '--only', options.only),
    keep: options.keep === undefined ? new Set<string>() : idsOption(bundle, '--keep', options.keep),
  }
  const seconds = wholeOption('--seconds', options.seconds, 1, MOST_SECONDS) ?? 10
  const solve = await loadSolver()
  const clock = (): number => performance.now()
  let said = began
  const onProgress = ({ strain, relative }: Score): void => {
    if (clock() - said < QUIET_MS) return
    said = clock()
    console.error(`strain ${strain}, relative ${relative.toFixed(3)} after ${Math.round((said - began) / 1000)} s`)
  }
  const milliseconds = seconds * 1000 - (clock() - began)
  return blaming(() => tune(bundle, from, hours, request, { milliseconds, clock, solve, onProgress }))
}

/** Seconds: whole minutes from one to a day. */
function gridOption(text: string | undefined): number {
  if (text === undefined) return 300
  const seconds = parseDuration(text)
  if (seconds === undefined || seconds % 60 !== 0 || seconds < 60 || seconds > 86_400)
    throw new BadInput(`--grid: “${text}” is not a whole number of minutes from PT1M to PT24H.`)
  return seconds
}

function idsOption(bundle: Bundle, name: string, text: string): Set<string> {
  const known = new Set(bundle.triggers.map(({ id }) => id))
  const ids = text
    .split(',')
    .map((id) => id.trim())
    .filter((id) => id !== '')
  for (const id of ids) if (!known.has(id)) throw new BadInput(`${name}: there is no trigger ${id} in the file.`)
  return new Set(ids)
}

async function forecast(file: string, options: Options): Promise<unknown> {
  const bundle = bundleOf(file)
  const [from, hours] = [fromOption(options), hoursOption(options)]
  const samples = wholeOption('--samples', options.samples, 0, MOST_SAMPLES) ?? 0
  const seed = wholeOption('--seed', options.seed, 0, Number.MAX_SAFE_INTEGER) ?? 1
  const changes = options.change === undefined ? null : changesOf(options.change)
  let done = 0
  const say = sayingProgress(changes === null ? samples : 2 * samples)
  const of = async (each: Bundle): Promise<Forecast> => {
    const model = blaming(() => modelOf(each, from, hours))
    const usual = told(model, recorded(model))
    if (samples === 0) return usual
    const request = { hours, seed, samples, runs: usual.runs.length }
    const finishes = await sampleAll(each, model, request, (more) => say((done += more)))
    return withSamples(usual, finishes, samples)
  }
  const before = await of(bundle)
  if (changes === null) return before
  const after = await of(blaming(() => withChanges(bundle, changes)))
  return { before, after, difference: differenceOf(before, after) }
}

/** The list of changes in a file. */
function changesOf(file: string): Change[] {
  const parsed = changesSchema.safeParse(jsonOf(file, '--change'))
  if (parsed.success) return parsed.data
  throw new BadInput(
    parsed.error.issues
      .map(({ path, message }) => `--change: ${pathOf(path as (string | number)[])}: ${message}`)
      .join('\n'),
  )
}

const fromOption = ({ from }: Pick<Options, 'from'>): Model['from'] => Math.ceil(instantOption('--from', from))

function hoursOption({ hours }: Pick<Options, 'hours'>): number {
  const number = wholeOption('--hours', hours, 1, MOST_HOURS)
  if (number === undefined) throw new BadInput('--hours NUMBER is missing, such as 24.')
  return number
}

/** What a file lacks for it is bad input, with the path. */
function blaming<T>(work: () => T): T {
  try {
    return work()
  } catch (error) {
    throw error instanceof ForecastFault ? new BadInput(error.message) : error
  }
}

function sayingProgress(all: number): (done: number) => void {
  let said = performance.now()
  return (done) => {
    if (performance.now() - said < QUIET_MS) return
    said = performance.now()
    console.error(`${done.toLocaleString('en')} of ${all.toLocaleString('en')} samples`)
  }
}
