import { MOST_CHAINED, openingAt, rateLeft } from '@/core/events/decide'
import { broughtBy, type EventFacts } from '@/core/events/facts'
import { parseDuration } from '@/core/timing/duration'
import { zoneOf } from '@/core/timing/zone'
import type { TriggerDefinition } from '@/core/work/trigger'
import { config } from '@/store/config'
import { execute, many, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { timingState, type TimingState } from '@/service/base/timing-cache'
import { closeTrouble, openTrouble } from '@/service/base/trouble'
import { handedOnBy } from './handed-on'
import type { NotStartedWhy } from './not-started'
import { missInStretch, StartPlan, type Outcome, type Start, type StartingTrigger } from './start-plan'

/** Something that happened, with the trigger that it is told to; that one is locked. */
export interface ToDecide {
  readonly id: number
  readonly at: Date
  readonly facts: EventFacts
  readonly depth: number
  readonly trigger: StartingTrigger & { readonly enabled: boolean }
}

/** What came of each event, by its number; those that wait, and until when (null: for good); how many runs were made. */
export interface Decided {
  readonly outcomes: ReadonlyMap<number, Outcome>
  readonly waiting: ReadonlyMap<number, Date | null>
  readonly started: number
}

/** Whether the trigger may start something now by its days and times. */
export function openingOf(
  definition: TriggerDefinition,
  state: TimingState,
  nowMs: number,
): ReturnType<typeof openingAt> {
  const zone = zoneOf(definition.zone ?? config().zone)
  if (!zone) throw new Error(`There is no time zone ${definition.zone}.`)
  const { from, until, between } = definition
  return openingAt({ zone, eligible: state.timings.eligibleDays(definition), from, until, between }, nowMs)
}

/** How many more starts its rate lets through; when one more. */
export async function rateOf(
  tx: Tx,
  { id, definition }: Pick<StartingTrigger, 'id' | 'definition'>,
  nowMs: number,
): Promise<ReturnType<typeof rateLeft>> {
  const { atMost } = definition
  if (!atMost) return rateLeft(undefined, [], nowMs)
  const started = await many<{ at: Date }>(
    tx,
    `SELECT decided_at AS at FROM trigger_events
      WHERE trigger_id = $1 AND outcome = 'started' AND decided_at > $2 ORDER BY decided_at DESC LIMIT $3`,
    [id, new Date(nowMs - (parseDuration(atMost.in) as number) * 1000), atMost.starts],
  )
  return rateLeft(
    atMost,
    started.map(({ at }) => at.getTime()),
    nowMs,
  )
}

/** Decides these events, and writes all that comes of it. What waits for a time of the day stays undecided. */
export async function decideIn(tx: Tx, all: readonly ToDecide[], nowMs: number): Promise<Decided> {
  const state = await timingState(tx)
  const plan = await StartPlan.of(
    tx,
    [...new Map(all.map(({ trigger }) => [trigger.id, trigger])).values()],
    state,
    nowMs,
  )
  const handedOn = await handedOnBy(
    tx,
    all.flatMap(({ facts }) => ('run' in facts ? [facts.run] : [])),
  )
  const waiting = new Map<number, Date | null>()
  const limited: { trigger: StartingTrigger; start: Start; detail: string }[] = []
  const left = new Map<number, { left: number; againMs: number | null }>()
  for (const { id, at, facts, depth, trigger } of all) {
    const brings = broughtBy(facts, 'run' in facts ? handedOn.get(facts.run) : undefined)
    const startOn = (day: number): Start => ({ at: at.getTime() / 1000, day, event: { id, brings } })
    const opening = openingOf(trigger.definition, state, nowMs)
    const miss = (why: NotStartedWhy, detail: string): void =>
      plan.miss(trigger, [startOn('day' in opening ? opening.day : 0)], why, detail)
    if (!trigger.enabled) miss('off', 'The trigger was switched off meanwhile.')
    else if (depth > MOST_CHAINED)
      miss('chain', `It would be the ${depth}th in a row that one ending leads to: the chain is cut here.`)
    else if (opening.is === 'waits') waiting.set(id, opening.untilMs === null ? null : new Date(opening.untilMs))
    else if (opening.is === 'not on this day') miss('day', 'Its days leave this one out.')
    else {
      const rate = left.get(trigger.id) ?? (await rateOf(tx, trigger, nowMs))
      left.set(trigger.id, rate)
      if (rate.left > 0) {
        left.set(trigger.id, { ...rate, left: rate.left - 1 })
        plan.start(trigger, startOn(opening.day))
      } else limited.push({ trigger, start: startOn(opening.day), detail: rateWords(trigger.definition) })
    }
  }
  const { made, byEvent } = await plan.write(tx)
  const outcomes = new Map(byEvent)
  for (const { trigger, start, detail } of limited) {
    outcomes.set(start.event?.id as number, { runs: [], why: { why: 'rate', detail } })
    await missInStretch(tx, trigger, start, 'rate', detail, nowMs)
  }
  await cutChains(tx, all)
  await writeOutcomes(tx, outcomes, waiting, new Date(nowMs))
  // One without a rate has none beyond which it was.
  const within = [...left].filter(([, rate]) => rate.left > 0 && rate.left < Infinity)
  if (within.length > 0)
    await closeTrouble(
      tx,
      within.map(([id]) => `trigger ${id} rate`),
      'it starts again',
    )
  // Of what was started the runs tell; of triggers there is something new only where nothing was.
  const isMissed = [...outcomes.values()].some(({ why }) => why !== null) || waiting.size > 0
  await notify(tx, {
    ...(isMissed ? { timing: true as const } : {}),
    ...(made.length > 0 ? { runs: made, place: true as const } : {}),
  })
  return { outcomes, waiting, started: made.length }
}

const rateWords = ({ atMost }: TriggerDefinition): string =>
  `It has started ${atMost?.starts} times within ${atMost?.in}: no more for now.`

async function cutChains(tx: Tx, all: readonly ToDecide[]): Promise<void> {
  const cut = all.filter(({ depth }) => depth > MOST_CHAINED)
  for (const { trigger } of new Map(cut.map((each) => [each.trigger.id, each])).values())
    await openTrouble(tx, {
      subject: `trigger ${trigger.id} chain`,
      title: `Runs lead to each other without end: the chain was cut at ${trigger.title}`,
      evidence: `${MOST_CHAINED} runs in a row were each started by the end of the one before.`,
    })
  if (cut.length > 0) await notify(tx, { matters: true })
}

/** What a call sent is kept with it, once it is decided, unless it is larger than this. */
const MOST_KEPT_BYTES = 64 * 1024

async function writeOutcomes(
  tx: Tx,
  outcomes: ReadonlyMap<number, Outcome>,
  waiting: ReadonlyMap<number, Date | null>,
  now: Date,
): Promise<void> {
  const decided = [...outcomes]
  await execute(
    tx,
    `UPDATE trigger_events e SET decided_at = $3, outcome = u.outcome, why = u.why,
            facts = CASE WHEN octet_length(e.facts::text) > $5 THEN e.facts - 'body' ELSE e.facts END
       FROM unnest($1::bigint[], $2::text[], $4::text[]) AS u(id, outcome, why) WHERE e.id = u.id`,
    [
      decided.map(([id]) => id),
      decided.map(([, { runs }]) => (runs.length > 0 ? 'started' : 'not started')),
      now,
      decided.map(([, { runs, why }]) => (runs.length > 0 ? null : (why?.detail ?? null))),
      MOST_KEPT_BYTES,
    ],
  )
  if (waiting.size === 0) return
  await execute(
    tx,
    `UPDATE trigger_events e SET not_before = u.at FROM unnest($1::bigint[], $2::timestamptz[]) AS u(id, at) WHERE e.id = u.id`,
    [[...waiting.keys()], [...waiting.values()].map((at) => at ?? new Date('9999-01-01T00:00:00Z'))],
  )
}
