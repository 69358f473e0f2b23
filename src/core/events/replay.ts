import { z } from 'zod'
import type { TriggerDefinition } from '../work/trigger'
import { backlogStarts, endFits, openingAt, rateLeft, type EventDays } from './decide'
import { fitsPath } from './file-name'
import { TOLD_STATES } from './kinds'
import { firings } from './measure'
import { fitsOnly } from './values'

const instant = z.iso.datetime({ offset: true, error: 'Expected an instant such as 2027-03-09T02:00:00Z.' })
/** What happened, as a line of a file tells it: what a trigger looks at, by its kind. */
export const happenedSchema = z.union([
  z.strictObject({
    at: instant,
    waiting: z.int().min(0),
    oldest: z.number().min(0).optional(),
    open: z.int().min(0).optional(),
  }),
  z.strictObject({ at: instant, value: z.number(), of: z.string().optional() }),
  z.strictObject({ at: instant, file: z.string() }),
  z.strictObject({ at: instant, state: z.enum(TOLD_STATES) }),
  z.strictObject({ at: instant, body: z.unknown() }),
])
export type Happened = z.output<typeof happenedSchema>

/** What came of one of them. */
export interface Replayed {
  readonly at: string
  /** Runs that it started. */
  readonly starts: number
  /** Why none; or until when it waited. */
  readonly why?: string
}

type Kinds = Pick<TriggerDefinition, 'backlog' | 'measure' | 'file' | 'call' | 'after' | 'atMost'>

/**
 * What a trigger would have started of all that happened, by the same decisions as an engine's: what it waits for, its days and times, its rate. Whether runs could be made, and how they overlap, is not
 * looked at. What waits for a time of the day starts then, but a backlog, which is looked at anew.
 *
 * @param happened ascending in time
 */
export function replay(definition: Kinds, days: EventDays, happened: readonly Happened[]): Replayed[] {
  const fired = firedBy(definition, happened)
  const startedMs: number[] = []
  return happened.map((each, i): Replayed => {
    const { at } = each
    const wanted = wantedBy(definition, each, fired.has(i))
    if (typeof wanted === 'string') return { at, starts: 0, why: wanted }
    let nowMs = Date.parse(at)
    let opening = openingAt(days, nowMs)
    let why: string | undefined
    if (opening.is === 'waits') {
      if (definition.backlog || opening.untilMs === null) return { at, starts: 0, why: 'not at this time of the day' }
      nowMs = opening.untilMs
      why = `waits until ${new Date(nowMs).toISOString()}`
      opening = openingAt(days, nowMs)
    }
    if (opening.is !== 'open') return { at, starts: 0, why: 'not on this day' }
    const { left } = rateLeft(definition.atMost, startedMs, nowMs)
    const starts = Math.min(left, wanted)
    for (let n = 0; n < starts; n++) startedMs.push(nowMs)
    if (starts < wanted) why = 'as often as it may'
    return { at, starts, ...(why === undefined ? {} : { why }) }
  })
}

/** Places of the values that complete a row, each series by itself. */
function firedBy({ measure }: Kinds, happened: readonly Happened[]): Set<number> {
  const places = new Set<number>()
  if (!measure) return places
  const series = new Map<string, { atMs: number; value: number; place: number }[]>()
  for (const [place, each] of happened.entries()) {
    if (!('value' in each)) continue
    const key = each.of ?? ''
    const one = { atMs: Date.parse(each.at), value: each.value, place }
    const known = series.get(key)
    if (known) known.push(one)
    else series.set(key, [one])
  }
  for (const values of series.values()) for (const { place } of firings(measure, values)) places.add(place)
  return places
}

/** How many runs one of them calls for; a text: none, and why. */
function wantedBy({ backlog, measure, file, call, after }: Kinds, each: Happened, isFired: boolean): number | string {
  if (backlog && 'waiting' in each) {
    const { waiting, oldest = null, open = 0 } = each
    return backlogStarts(backlog, { waiting, oldestSeconds: oldest, open }) || 'too little waits for more runs'
  }
  if (measure && 'value' in each) return isFired ? 1 : 'completes no row'
  if (file && 'file' in each) return fitsPath(file.path, each.file) ? 1 : 'none of its files'
  if (after && 'state' in each) return endFits(after.when, each.state) ? 1 : `not ${after.when}`
  if (call && 'body' in each) return fitsOnly(call.only, each.body) ? 1 : 'none of the calls that count'
  return 'not what this trigger waits for'
}
