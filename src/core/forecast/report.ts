import { isoInstant } from '../timing/instants'
import { decidedBy, endsOf } from './decided-by'
import { datedOf, type Model, type Occurrence } from './model'
import { Simulation } from './simulation'
import { USUAL, WAIT_REASONS, type Attempt, type Lengths, type Night, type Played, type WaitReason } from './play'

/** Instants are ISO 8601 in UTC, lengths and margins seconds. */
export interface ForecastRun {
  readonly trigger: string
  /** Only of what starts on each machine, on a server. */
  readonly machine?: string
  readonly occurrence: string
  readonly target: string
  readonly step: string | null
  readonly number: number
  readonly ready: string
  readonly start: string | null
  readonly end: string | null
  readonly agent: string | null
  readonly slots: number
  readonly state: Attempt['state']
}

interface ForecastLoad {
  readonly pool: string
  readonly capacity: number
  readonly peak: number
  readonly busySlotSeconds: number
  /** From each of these instants on so many slots are in use. */
  readonly profile: readonly (readonly [string, number])[]
}

export interface ForecastDeadline {
  readonly trigger: string
  /** Only of what starts on each machine, on a server. */
  readonly machine?: string
  /** Only of what was open when the stretch began: its run. */
  readonly run?: number
  readonly occurrence: string
  readonly due: string
  readonly finish: string | null
  /** Negative: late. */
  readonly margin: number | null
  readonly late: boolean
  /** Only when sampled. */
  readonly chance?: number
  readonly finishP50?: string | null
  readonly finishP90?: string | null
  readonly decidedBy: readonly (number | string)[]
}

export interface Forecast {
  readonly runs: readonly ForecastRun[]
  readonly load: readonly ForecastLoad[]
  readonly deadlines: readonly ForecastDeadline[]
  readonly waits: readonly { readonly reason: WaitReason; readonly seconds: number }[]
}

/** What tells the work of one occurrence from all other work of a forecast, and is the same in every forecast of it. */
export const occurrenceKey = ({
  trigger,
  occurrence,
  machine,
}: Pick<ForecastRun, 'trigger' | 'occurrence' | 'machine'>): string =>
  `${trigger} ${occurrence}${machine === undefined ? '' : ` ${machine}`}`

const occurrenceOf = ({ trigger, at }: Occurrence): Pick<ForecastRun, 'trigger' | 'occurrence' | 'machine'> => ({
  trigger: trigger.id,
  ...(trigger.machine === null ? {} : { machine: trigger.machine }),
  occurrence: isoInstant(at),
})

/** The same of an occurrence of a model. */
export const keyOfOccurrence = (of: Occurrence): string => occurrenceKey(occurrenceOf(of))

/** A deadline with the night that it is of. */
interface DeadlineOf {
  readonly of: Occurrence
  readonly night: Night | null
}

/** All that one play of the simulation says. */
export interface Recorded {
  readonly nights: readonly Night[]
  readonly attempts: readonly Attempt[]
  readonly load: readonly { readonly peak: number; readonly busy: number; readonly profile: [number, number][] }[]
  readonly waits: Readonly<Record<WaitReason, number>>
  readonly deadlines: readonly DeadlineOf[]
}

/** Plays the model once and writes down what happens. */
export function recorded(model: Model, lengths: Lengths = USUAL): Recorded {
  const attempts: Attempt[] = []
  const places = new Map(model.pools.map(({ id }, i) => [id, i]))
  const inUse = model.pools.map(() => 0)
  const profiles = model.pools.map((): [number, number][] => [[model.from, 0]])
  const changed = new Set<number>()
  const waits = { agent: 0, lock: 0, slot: 0, turn: 0 }
  let since = model.from
  let waiting: Readonly<Record<WaitReason, number>> = { agent: 0, lock: 0, slot: 0, turn: 0 }
  const played = new Simulation(model, lengths, {
    attempt: (attempt) => attempts.push(attempt),
    used: (pool, slots) => {
      const place = places.get(pool) as number
      inUse[place] = (inUse[place] as number) + slots
      changed.add(place)
    },
    instant: (now, ask) => {
      for (const reason of WAIT_REASONS) waits[reason] += waiting[reason] * (now - since)
      since = now
      waiting = ask()
      for (const place of changed) {
        const [profile, n] = [profiles[place] as [number, number][], inUse[place] as number]
        const last = profile.at(-1) as [number, number]
        if (last[1] === n) continue
        if (last[0] === now) last[1] = n
        else profile.push([now, n])
      }
      changed.clear()
    },
  }).play()
  const { nights, stopped } = played
  return {
    nights,
    attempts,
    waits,
    load: profiles.map((profile) => ({
      profile,
      peak: profile.reduce((most, [, n]) => Math.max(most, n), 0),
      busy: profile.reduce((sum, [at, n], i) => sum + n * ((profile[i + 1]?.[0] ?? Math.max(at, stopped)) - at), 0),
    })),
    deadlines: deadlinesOf(model, played),
  }
}

/** Of every occurrence with one, but for those that were skipped or replaced; in order of occurrence, then of the trigger. */
function deadlinesOf(model: Model, { nights, waiting }: Played): DeadlineOf[] {
  const byOccurrence = new Map(nights.map((night) => [night.of, night]))
  return datedOf(model)
    .flatMap((of): DeadlineOf[] => {
      const night = byOccurrence.get(of) ?? null
      return night?.state === 'replaced' || (!night && !waiting.has(of)) ? [] : [{ of, night }]
    })
    .sort((a, b) => a.of.at - b.of.at || a.of.trigger.index - b.of.trigger.index)
}

const instantOf = (seconds: number | null): string | null => (seconds === null ? null : isoInstant(seconds))

/** A record as it is told, without what samples would add. */
export function told(model: Model, record: Recorded): Forecast {
  const ends = endsOf(record.attempts)
  const runs = new Map(model.open.map(({ of, night }) => [of, night.number]))
  const ofNight = new Map<Night, Attempt[]>(record.nights.map((night) => [night, []]))
  for (const attempt of record.attempts) ofNight.get(attempt.task.night)?.push(attempt)
  return {
    runs: inOrder(record.attempts).map(({ task, ready, start, end, agent, state }) => ({
      ...occurrenceOf(task.night.of),
      target: task.step.job,
      step: task.step.path,
      number: task.number,
      ready: isoInstant(ready),
      start: instantOf(start),
      end: instantOf(end),
      agent,
      slots: task.step.slots,
      state,
    })),
    load: model.pools.map(({ id, capacity }, i) => {
      const { peak, busy, profile } = record.load[i] as Recorded['load'][number]
      return {
        pool: id,
        capacity,
        peak,
        busySlotSeconds: busy,
        profile: profile.map(([at, n]) => [isoInstant(at), n] as const),
      }
    }),
    deadlines: record.deadlines.map(({ of, night }) => {
      const [due, finish] = [of.due as number, night?.finish ?? null]
      return {
        ...occurrenceOf(of),
        ...(runs.has(of) ? { run: runs.get(of) as number } : {}),
        due: isoInstant(due),
        finish: instantOf(finish),
        margin: finish === null ? null : due - finish,
        late: finish === null || finish > due,
        decidedBy: night === null || finish === null ? [] : decidedBy(ofNight.get(night) ?? [], ends, model),
      }
    }),
    waits: WAIT_REASONS.flatMap((reason) =>
      record.waits[reason] > 0 ? [{ reason, seconds: record.waits[reason] }] : [],
    ),
  }
}

/** By start, then number; what did not start, or has not ended, at the end by number. */
function inOrder(attempts: readonly Attempt[]): Attempt[] {
  const isOver = ({ start, end }: Attempt): boolean => start !== null && end !== null
  const [over, open] = [attempts.filter(isOver), attempts.filter((attempt) => !isOver(attempt))]
  over.sort((a, b) => (a.start as number) - (b.start as number) || a.task.number - b.task.number)
  open.sort((a, b) => a.task.number - b.task.number)
  return [...over, ...open]
}
