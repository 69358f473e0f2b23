import { occurrenceKey, type Forecast, type ForecastDeadline, type ForecastRun } from './report'

type When = Pick<ForecastRun, 'start' | 'end' | 'agent'>

/** What is another in a forecast with changes; only what differs. Null: not there. */
export interface Difference {
  readonly runs: readonly {
    readonly trigger: string
    readonly machine?: string
    readonly occurrence: string
    readonly step: string | null
    readonly before: When | null
    readonly after: When | null
  }[]
  readonly deadlines: readonly {
    readonly trigger: string
    readonly machine?: string
    readonly occurrence: string
    readonly before: Pick<ForecastDeadline, 'finish' | 'late' | 'chance'> | null
    readonly after: Pick<ForecastDeadline, 'finish' | 'late' | 'chance'> | null
  }[]
  readonly peaks: readonly { readonly pool: string; readonly before: number; readonly after: number }[]
  readonly waits: readonly { readonly reason: string; readonly before: number; readonly after: number }[]
}

/** Of each run its last attempt. */
function lastAttempts(runs: readonly ForecastRun[]): Map<string, ForecastRun> {
  const last = new Map<string, ForecastRun>()
  for (const run of runs) {
    const key = `${occurrenceKey(run)} ${run.step ?? ''}`
    const other = last.get(key)
    if (!other || run.ready >= other.ready) last.set(key, run)
  }
  return last
}

/** Pairs what two lists say of the same; the keys of both, those of the first in their order first. */
function pairs<T>(before: ReadonlyMap<string, T>, after: ReadonlyMap<string, T>): [T | undefined, T | undefined][] {
  return [...new Set([...before.keys(), ...after.keys()])].map((key) => [before.get(key), after.get(key)])
}

const which = ({
  trigger,
  machine,
  occurrence,
}: ForecastRun | ForecastDeadline): Pick<ForecastRun, 'trigger' | 'machine' | 'occurrence'> => ({
  trigger,
  ...(machine === undefined ? {} : { machine }),
  occurrence,
})
const isSame = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b)
const whenOf = ({ start, end, agent }: ForecastRun): When => ({ start, end, agent })
const outcomeOf = ({
  finish,
  late,
  chance,
}: ForecastDeadline): Pick<ForecastDeadline, 'finish' | 'late' | 'chance'> => ({
  finish,
  late,
  ...(chance === undefined ? {} : { chance }),
})

/** Compares two forecasts of one stretch, run by run and deadline by deadline. */
export function differenceOf(before: Forecast, after: Forecast): Difference {
  const deadlinesOf = ({ deadlines }: Forecast): Map<string, ForecastDeadline> =>
    new Map(deadlines.map((each) => [occurrenceKey(each), each]))
  const byKey = <T>(list: readonly T[], key: (each: T) => string): Map<string, T> =>
    new Map(list.map((each) => [key(each), each]))
  const runs = pairs(lastAttempts(before.runs), lastAttempts(after.runs)).flatMap(([a, b]) => {
    const of = (a ?? b) as ForecastRun
    const [was, is] = [a ? whenOf(a) : null, b ? whenOf(b) : null]
    return isSame(was, is) ? [] : [{ ...which(of), step: of.step, before: was, after: is }]
  })
  const deadlines = pairs(deadlinesOf(before), deadlinesOf(after)).flatMap(([a, b]) => {
    const of = (a ?? b) as ForecastDeadline
    const [was, is] = [a ? outcomeOf(a) : null, b ? outcomeOf(b) : null]
    return isSame(was, is) ? [] : [{ ...which(of), before: was, after: is }]
  })
  const peaks = pairs(
    byKey(before.load, ({ pool }) => pool),
    byKey(after.load, ({ pool }) => pool),
  ).flatMap(([a, b]) => (a && b && a.peak !== b.peak ? [{ pool: a.pool, before: a.peak, after: b.peak }] : []))
  const waits = pairs<{ reason: string; seconds: number }>(
    byKey(before.waits, ({ reason }) => reason),
    byKey(after.waits, ({ reason }) => reason),
  ).flatMap(([a, b]) => {
    const [was, is] = [a?.seconds ?? 0, b?.seconds ?? 0]
    return was === is ? [] : [{ reason: (a ?? b)?.reason as string, before: was, after: is }]
  })
  return { runs, deadlines, peaks, waits }
}
