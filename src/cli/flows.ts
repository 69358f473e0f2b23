import type { Command } from 'commander'
import type { Bundle } from '@/core/bundle/schema'
import { onDay } from '@/core/bundle/on-day'
import { Timings } from '@/core/bundle/timings'
import { SHIPPED_HOLIDAYS } from '@/core/calendar/holiday-data'
import { criticalPath } from '@/core/flow/critical'
import { FlowFault } from '@/core/flow/inputs'
import { flowMermaid } from '@/core/flow/mermaid'
import { planOf, type Plan } from '@/core/flow/plan'
import { lookOn, rehearse, type HandedOn, type IsDay } from '@/core/flow/rehearse'
import type { Outcome } from '@/core/flow/state'
import { flowSvg } from '@/core/flow/svg'
import { BadInput } from './bad-input'
import { bundleOf, dayOption } from './file'

export const FLOW_COMMANDS = ['rehearse', 'critical', 'draw']

interface Options {
  readonly flow?: string
  readonly day?: string
  readonly outcomes?: string
  readonly as?: string
  readonly input?: readonly string[]
  readonly value?: readonly string[]
}

const OUTCOMES: Readonly<Record<string, Outcome>> = {
  succeeded: 'succeeded',
  failed: 'failed',
  lost: 'failed',
  cancelled: 'cancelled',
}
/** Which option a fault of what was asked for belongs to. */
const OPTION: Readonly<Record<FlowFault['at'], string>> = {
  flow: '--flow',
  input: '--input',
  outcomes: '--outcomes',
  gate: '--input',
}

/** Commands about the flows of a bundle file, without a server. */
export function addFlowCommands(
  program: Command,
  print: (value: unknown) => void,
  write: (text: string) => void = (text) => void process.stdout.write(text),
): void {
  const each = (value: string, before: readonly string[] = []): readonly string[] => [...before, value]
  program
    .command('rehearse')
    .argument('<file>', 'a bundle')
    .option('--flow <id>', 'this flow')
    .option('--day <day>', 'on this day')
    .option('--outcomes <list>', 'what becomes of steps, such as check=failed,send=lost; the others succeed')
    .option('--input <name=value>', 'the value of an input; may be given several times', each)
    .option('--value <step.name=value>', 'what a step hands on; may be given several times', each)
    .description('says what would happen in a flow, without running anything')
    .action((file: string, options: Options) => print(blaming(() => rehearsed(bundleOf(file), options))))

  program
    .command('critical')
    .argument('<file>', 'a bundle')
    .option('--flow <id>', 'of this flow')
    .option('--day <day>', 'with the day gates of this day')
    .description('says which steps decide how long a flow takes, and how much room the others have; seconds')
    .action((file: string, options: Options) => print(blaming(() => critical(bundleOf(file), options))))

  program
    .command('draw')
    .argument('<file>', 'a bundle')
    .option('--flow <id>', 'this flow')
    .option('--as <kind>', 'mermaid or svg', 'mermaid')
    .option('--input <name=value>', 'the value of an input; may be given several times', each)
    .description('writes a flow as Mermaid text, or as a picture on a time scale')
    .action((file: string, options: Options) => write(blaming(() => drawn(bundleOf(file), options))))
}

const PICTURES: Readonly<Record<string, (plan: Plan) => string>> = { mermaid: flowMermaid, svg: flowSvg }

function drawn(bundle: Bundle, options: Options): string {
  const draw = Object.hasOwn(PICTURES, options.as ?? '') ? PICTURES[options.as as string] : undefined
  if (!draw) throw new BadInput(`--as: “${options.as}” is neither mermaid nor svg.`)
  return draw(planOf(bundle, flowOption(options), inputsOption(options.input ?? [])))
}

function blaming<T>(work: () => T): T {
  try {
    return work()
  } catch (error) {
    if (error instanceof FlowFault) throw new BadInput(`${OPTION[error.at]}: ${error.message}`)
    throw error
  }
}

function flowOption({ flow }: Options): string {
  if (flow === undefined) throw new BadInput('--flow ID is missing.')
  return flow
}

const timingsOf = (bundle: Bundle): Timings => new Timings(bundle.calendars, SHIPPED_HOLIDAYS, bundle.zone)
const isDayOf =
  (timings: Timings): IsDay =>
  (rule, day) =>
    timings.daysOf(rule).has(day)

function rehearsed(bundle: Bundle, options: Options): unknown {
  const day = dayOption('--day', options.day)
  const timings = timingsOf(bundle)
  const plan = planOf(onDay(bundle, timings, day), flowOption(options), inputsOption(options.input ?? []))
  const values = valuesOption(plan, options.value ?? [])
  const handedOn: HandedOn = (path, name) => values.get(`${path}.${name}`)
  const look = lookOn(day, isDayOf(timings), handedOn)
  const { flow, steps, order, assumed } = rehearse(plan, look, outcomesOption(plan, options.outcomes), handedOn)
  return { flow, steps: Object.fromEntries(steps), order, ...(assumed.length > 0 ? { assumed } : {}) }
}

function critical(bundle: Bundle, options: Options): unknown {
  const plan = planOf(bundle, flowOption(options))
  const isDay = isDayOf(timingsOf(bundle))
  const day = options.day === undefined ? null : dayOption('--day', options.day)
  const { length, chain, steps } = criticalPath(
    plan,
    ({ gate, isOff }) => isOff || (day !== null && gate !== null && 'days' in gate && !isDay(gate.days, day)),
  )
  return { length: hoursOf(length), chain, steps: Object.fromEntries(steps) }
}

/** `PT25H31M30S`: hours, minutes and seconds without parts that are zero. */
function hoursOf(exact: number): string {
  const seconds = Math.round(exact)
  const [h, m, s] = [Math.floor(seconds / 3600), Math.floor((seconds % 3600) / 60), seconds % 60]
  const text = `${h ? `${h}H` : ''}${m ? `${m}M` : ''}${s ? `${s}S` : ''}`
  return `PT${text || '0S'}`
}

function inputsOption(given: readonly string[]): Record<string, string> {
  const values: Record<string, string> = Object.create(null) as Record<string, string>
  for (const text of given) {
    const at = text.indexOf('=')
    if (at < 1) throw new BadInput(`--input: “${text}” is not name=value.`)
    const name = text.slice(0, at)
    if (name in values) throw new BadInput(`--input: ${name} is named twice.`)
    values[name] = text.slice(at + 1)
  }
  return { ...values }
}

/** What steps hand on, by path and name: `check.count=0`. */
function valuesOption(plan: Plan, given: readonly string[]): ReadonlyMap<string, string> {
  const values = new Map<string, string>()
  for (const text of given) {
    const at = text.indexOf('=')
    const key = text.slice(0, Math.max(0, at))
    const dot = key.lastIndexOf('.')
    if (dot < 1 || dot === key.length - 1) throw new BadInput(`--value: “${text}” is not step.name=value.`)
    const path = key.slice(0, dot)
    if (!plan.byPath.has(path)) throw new BadInput(`--value: there is no step ${path} in ${plan.flow}.`)
    if (values.has(key)) throw new BadInput(`--value: ${key} is named twice.`)
    values.set(key, text.slice(at + 1))
  }
  return values
}

function outcomesOption(plan: Plan, text: string | undefined): ReadonlyMap<number, Outcome> {
  const outcomes = new Map<number, Outcome>()
  for (const part of text === undefined || text === '' ? [] : text.split(',')) {
    const at = part.lastIndexOf('=')
    if (at < 1) throw new BadInput(`--outcomes: “${part}” is not step=outcome.`)
    const [path, word] = [part.slice(0, at).trim(), part.slice(at + 1).trim()]
    const index = plan.byPath.get(path)
    if (index === undefined) throw new BadInput(`--outcomes: there is no step ${path} in ${plan.flow}.`)
    if (plan.steps[index]?.flow !== null)
      throw new BadInput(`--outcomes: ${path} is a flow; it ends as its own steps say.`)
    const outcome = Object.hasOwn(OUTCOMES, word) ? OUTCOMES[word] : undefined
    if (outcome === undefined)
      throw new BadInput(`--outcomes: “${word}” is not an outcome; there are ${Object.keys(OUTCOMES).join(', ')}.`)
    if (outcomes.has(index)) throw new BadInput(`--outcomes: ${path} is named twice.`)
    outcomes.set(index, outcome)
  }
  return outcomes
}
